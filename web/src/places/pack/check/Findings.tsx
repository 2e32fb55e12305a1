// What the checks found, by what to do: what stands in the way, what somebody has to decide, what is good to know.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useParams } from "react-router";
import { api, type Shape, told } from "../../../api/client";
import { useChange, useDraft, useFindings, usePack } from "../../../api/queries";
import { Empty, Loaded, RefusalRemark, Remark } from "../../../parts/notices";
import { many } from "../../../parts/words";
import { LastEdit } from "../LastEdit";
import { RehearsalDialog } from "../Rehearsal";
import { type Editing, useEditing } from "../useEditing";
import { FindingRow } from "./FindingRow";
import { Reviews } from "./Reviews";

type Finding = Shape["FindingOut"];

const GROUPS: { name: string; about: string; has: (one: Finding) => boolean }[] = [
  {
    name: "Stands in the way",
    about: "Nothing is published while these stand, unless you say why.",
    has: (one) => !one.laid_down && one.severity === "blocker",
  },
  {
    name: "To decide",
    about: "It would start. Whether it plays as you mean it is for you to say.",
    has: (one) => !one.laid_down && one.severity === "warning",
  },
  { name: "Good to know", about: "", has: (one) => !one.laid_down && one.severity === "advice" },
  {
    name: "Laid down",
    about: "Set apart with a reason, until what they rest on changes.",
    has: (one) => one.laid_down !== null,
  },
];

export default function Findings() {
  const { packId = "" } = useParams();
  const checked = useFindings(packId);
  const may = usePack(packId).data?.role !== "member";
  const editing = useEditing(packId);
  return (
    <>
      <LastEdit editing={editing} />
      <RehearsalDialog editing={editing} />
      <Reviews packId={packId} may={may} />
      <Loaded query={checked}>
        {({ findings }) => (
          <>
            {may && findings.some((one) => !one.laid_down && one.may_be_safe) && <MendAll packId={packId} />}
            {!findings.some((one) => !one.laid_down) && (
              <Empty title="Nothing stands in the way">
                Every line has a build, no mod loses a file or a setting to another, and nobody has to fetch anything by
                hand.
              </Empty>
            )}
            {GROUPS.map((group) => (
              <Group key={group.name} {...group} findings={findings.filter(group.has)} editing={editing} may={may} />
            ))}
          </>
        )}
      </Loaded>
    </>
  );
}

const TOGETHER = 3;

interface GroupProps {
  name: string;
  about: string;
  findings: Finding[];
  editing: Editing;
  may: boolean;
}

function Group({ name, about, findings, editing, may }: GroupProps) {
  const { packId = "" } = useParams();
  if (!findings.length) return null;
  const byCheck = alike(findings);
  return (
    <Box component="section" aria-label={name} sx={{ mb: 2.5 }}>
      <Typography variant="h2">
        {name}{" "}
        <Box component="span" sx={{ color: "text.secondary", fontSize: "0.9rem", fontWeight: 400 }}>
          {findings.length}
        </Box>
      </Typography>
      {about && <Box sx={{ color: "text.secondary", fontSize: "0.88rem", mb: 0.5 }}>{about}</Box>}
      {[...byCheck.values()].map((same) =>
        same.length > TOGETHER ? (
          <Box key={same[0].id} component="details" sx={{ borderTop: 1, borderColor: "divider", py: 0.75 }}>
            <Box component="summary" sx={{ cursor: "pointer", fontWeight: 600 }}>
              {together(same)}
            </Box>
            {same.map((one) => (
              <FindingRow key={one.id} packId={packId} finding={one} editing={editing} may={may} />
            ))}
          </Box>
        ) : (
          same.map((one) => <FindingRow key={one.id} packId={packId} finding={one} editing={editing} may={may} />)
        ),
      )}
    </Box>
  );
}

/** Advice of one kind stands together, and what is to be decided of one kind about one mod; everything else by itself. */
function alike(findings: Finding[]): Map<string, Finding[]> {
  const found = new Map<string, Finding[]>();
  for (const one of findings) {
    const key = { advice: one.check, warning: `${one.check} ${one.mod}`, blocker: one.id }[one.severity];
    found.set(key, [...(found.get(key) ?? []), one]);
  }
  return found;
}

const TOLD_TOGETHER: Record<string, (count: number) => string> = {
  errand: (count) => `${count} mods that each member fetches by hand`,
  "saved-worlds": (count) => `${count} changes that saved worlds depend on`,
  tweak: (count) => `${count} settings whose file nothing lays down`,
  lacks: (count) => `${count} machines that are not as their release has it`,
  "off-but-needed": (count) => `${count} lines that are off and stay`,
};

const together = (same: Finding[]) =>
  TOLD_TOGETHER[same[0].check]?.(same.length) ?? `${same[0].what} And ${same.length - 1} more of the kind.`;

/** Carries out what mends without changing anything else: shown before it is done. */
function MendAll({ packId }: { packId: string }) {
  const draft = useDraft(packId).data;
  const [shown, setShown] = useState<Shape["MendedOut"][] | null>(null);
  const mend = useChange(
    (rehearse: boolean) =>
      told(
        api.POST("/api/packs/{pack_id}/findings/mend", {
          params: { path: { pack_id: packId } },
          body: { revision: draft?.revision ?? 0, rehearse },
        }),
      ),
    ["pack", packId],
  );
  const look = () => mend.mutate(true, { onSuccess: (done) => setShown(done.mended) });
  const doIt = () => mend.mutate(false, { onSuccess: () => setShown(null) });
  return (
    <Box sx={{ mb: 2 }}>
      {shown === null ? (
        <Button variant="contained" onClick={look} disabled={mend.isPending || !draft}>
          {mend.isPending ? "Trying each …" : "Mend all that is safe"}
        </Button>
      ) : (
        <Remark tone="primary">
          {shown.length ? (
            <>
              <strong>{many(shown.length, "finding")} can be mended without changing anything else:</strong>
              <ul style={{ margin: "4px 0 8px", paddingLeft: 18 }}>
                {shown.map((one) => (
                  <li key={one.what}>
                    {one.what} <em>{one.way}.</em>
                  </li>
                ))}
              </ul>
              <Button variant="contained" size="small" onClick={doIt} disabled={mend.isPending}>
                Do these {shown.length}
              </Button>{" "}
            </>
          ) : (
            <>Nothing can be mended without changing something else: what is left is yours to decide. </>
          )}
          <Button size="small" onClick={() => setShown(null)}>
            Leave it
          </Button>
        </Remark>
      )}
      <RefusalRemark error={mend.error} />
    </Box>
  );
}
