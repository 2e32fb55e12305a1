// Check: everything the checks found over the draft, gravest first, with evidence and what to do.
import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import { Link as RouterLink, useParams } from "react-router";
import { useFindings, usePack } from "../../api/queries";
import { SeverityMark } from "../../parts/marks";
import { Empty, Loaded, RefusalRemark } from "../../parts/notices";
import { mono } from "../../theme";
import { RehearsalDialog } from "./Rehearsal";
import { useEditing } from "./useEditing";
import { WaysOut } from "./WaysOut";

const SHOWN = 12;

export default function Check() {
  const { packId = "" } = useParams();
  const findings = useFindings(packId);
  const may = usePack(packId).data?.role !== "member";
  const editing = useEditing(packId);
  return (
    <Box sx={{ maxWidth: 900, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      <h1 style={{ margin: 0, fontSize: "1.2rem" }}>What the checks found</h1>
      <RefusalRemark error={editing.refused} />
      <RehearsalDialog editing={editing} />
      <Loaded query={findings}>
        {(list) =>
          list.length ? (
            list.map((one) => (
              <Box
                key={`${one.check} ${one.mod} ${one.what}`}
                component="article"
                sx={{
                  display: "grid",
                  gridTemplateColumns: { xs: "1fr", sm: "110px 1fr" },
                  gap: 1,
                  py: 1.5,
                  borderBottom: 1,
                  borderColor: "divider",
                }}
              >
                <SeverityMark severity={one.severity} />
                <Box>
                  <strong>{one.what}</strong>
                  <Box sx={{ fontSize: "0.92rem" }}>{one.why}</Box>
                  <Box sx={{ fontSize: "0.92rem", color: "text.secondary" }}>{one.now}</Box>
                  {one.evidence.slice(0, SHOWN).map((each) => (
                    <Box key={each} sx={{ fontFamily: mono, fontSize: "0.8rem", overflowWrap: "anywhere" }}>
                      {each}
                    </Box>
                  ))}
                  {one.evidence.length > SHOWN && (
                    <Box sx={{ fontSize: "0.85rem" }}>and {one.evidence.length - SHOWN} more</Box>
                  )}
                  {may && <WaysOut ways={one.ways} pick={(edit) => editing.edit(edit)} />}
                  {one.mod && (
                    <Link
                      component={RouterLink}
                      to={`/packs/${packId}/assemble?mod=${one.mod}`}
                      sx={{ fontSize: "0.9rem" }}
                    >
                      Take it in hand
                    </Link>
                  )}
                </Box>
              </Box>
            ))
          ) : (
            <Empty title="Nothing stands in the way">
              Every line has a build, no two builds replace each other's files, and nobody has to fetch anything by
              hand.
            </Empty>
          )
        }
      </Loaded>
    </Box>
  );
}
