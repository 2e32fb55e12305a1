// The lead: what is new there with its three sides, what is otherwise here, and what goes from one pack to the other as a
// proposal.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useEffect, useRef } from "react";
import { Link, useParams } from "react-router";
import { api, type Shape, told } from "../../../api/client";
import { useChange, useLead, usePack } from "../../../api/queries";
import { Loaded, RefusalRemark, Remark } from "../../../parts/notices";
import { when } from "../../../parts/words";
import { LastEdit } from "../LastEdit";
import { RehearsalDialog } from "../Rehearsal";
import { useEditing } from "../useEditing";
import { Follow, NextFile } from "./Follow";
import { Offers } from "./Offers";
import { Otherwise, Proposals } from "./Proposals";

export default function Lead() {
  const { packId = "" } = useParams();
  const pack = usePack(packId).data;
  const page = useLead(packId);
  if (!pack) return null;
  return (
    <Box sx={{ maxWidth: 1080, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      <Loaded query={page}>{(one) => <Shown pack={pack} page={one} />}</Loaded>
    </Box>
  );
}

function Shown({ pack, page }: { pack: Shape["PackOut"]; page: Shape["LeadPage"] }) {
  const editing = useEditing(pack.id);
  const may = pack.role !== "member";
  const { lead } = page;
  return (
    <>
      {lead ? (
        <Head pack={pack} lead={lead} may={may} />
      ) : (
        <>
          <Typography variant="h1">Lead</Typography>
          <Typography sx={{ mb: 2 }}>
            A pack that this one follows: its releases are shown here as changes, to be taken all or some.
          </Typography>
          {may && <Follow pack={pack} />}
        </>
      )}
      <LastEdit editing={editing} />
      {lead && <Offers key={lead.newest} lead={lead} offers={page.offers} editing={editing} may={may} />}
      {lead && <Otherwise packId={pack.id} lead={lead} rows={page.otherwise} may={may} />}
      {lead && may && (
        <Button size="small" color="error" sx={{ mt: 2 }} onClick={() => editing.edit({ do: "leave lead" })}>
          Follow {lead.name} no more
        </Button>
      )}
      <Proposals packId={pack.id} title="Proposed to this pack" rows={page.proposals} editing={editing} may={may} />
      <Proposals packId={pack.id} title="What this pack proposed" rows={page.proposed} editing={null} may={may} />
      <RehearsalDialog editing={editing} />
    </>
  );
}

function Head({ pack, lead, may }: { pack: Shape["PackOut"]; lead: Shape["LeadOut"]; may: boolean }) {
  const look = useChange(
    () => told(api.POST("/api/packs/{pack_id}/lead/look", { params: { path: { pack_id: pack.id } } })),
    ["pack", pack.id],
  );
  // A lead on this site costs nobody a question over the network: what it says now is what one came for.
  const looked = useRef(false);
  useEffect(() => {
    if (looked.current || !may || lead.where === "address" || lead.where === "file") return;
    looked.current = true;
    look.mutate(undefined);
  });
  const from = lead.where === "draft" ? `its draft` : lead.newest ? `release ${lead.newest}` : "nothing yet";
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "flex-start", gap: 2, flexWrap: "wrap" }}>
        <Box sx={{ flex: 1, minWidth: 260 }}>
          <Typography variant="h1">
            Lead: {lead.pack ? <Link to={`/packs/${lead.pack}/assemble`}>{lead.name}</Link> : lead.name}
          </Typography>
          <Typography variant="body2" sx={{ color: "text.secondary" }}>
            {lead.number ? `Last taken: ${lead.number}. ` : "Nothing was taken yet. "}
            It says: {from}
            {lead.looked_at && `, looked at ${when(lead.looked_at)}`}.
            {lead.mark && (
              <>
                {" "}
                Its keys are pinned: <code>{lead.mark}</code>.
              </>
            )}
            {lead.address && ` ${lead.address}`}
          </Typography>
        </Box>
        {may && lead.where !== "file" && (
          <Button variant="outlined" size="small" disabled={look.isPending} onClick={() => look.mutate(undefined)}>
            What is new at the lead
          </Button>
        )}
        {may && lead.where === "file" && <NextFile packId={pack.id} />}
      </Box>
      {lead.notes && (
        <Box sx={{ mt: 1 }}>
          <Remark tone="primary" live={false}>
            <Box sx={{ whiteSpace: "pre-wrap" }}>{lead.notes}</Box>
          </Remark>
        </Box>
      )}
      <RefusalRemark error={look.error} />
    </>
  );
}
