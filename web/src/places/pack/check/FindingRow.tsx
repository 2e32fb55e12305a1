// One finding: what, and when it is opened why, on what evidence, and every way to mend it with what that would do.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import type { Shape } from "../../../api/client";
import type { Edit } from "../../../api/edits";
import { useFinding, useWays } from "../../../api/queries";
import { SeverityMark } from "../../../parts/marks";
import { RefusalRemark } from "../../../parts/notices";
import { when } from "../../../parts/words";
import { mono } from "../../../theme";
import type { Editing } from "../useEditing";

type Finding = Shape["FindingOut"];

interface Props {
  packId: string;
  finding: Finding;
  editing: Editing;
  may: boolean;
}

const SHOWN = 12;

export function FindingRow({ packId, finding, editing, may }: Props) {
  const [open, setOpen] = useState(false);
  return (
    <Box
      component="article"
      aria-label={finding.what}
      sx={{
        display: "grid",
        gridTemplateColumns: { xs: "1fr", sm: "92px 1fr" },
        columnGap: 1,
        py: 0.75,
        borderTop: 1,
        borderColor: "divider",
      }}
    >
      <SeverityMark severity={finding.severity} />
      <Box sx={{ minWidth: 0 }}>
        <Box sx={{ display: "flex", gap: 1, alignItems: "baseline", flexWrap: "wrap" }}>
          <Box component="strong" sx={{ flex: 1, minWidth: 200 }}>
            {finding.what}
          </Box>
          <Button
            size="small"
            sx={{ py: 0, px: 0.5 }}
            aria-expanded={open}
            aria-label={`${open ? "Close" : "Open"}: ${finding.what}`}
            onClick={() => setOpen(!open)}
          >
            {open ? "Close" : "Open"}
          </Button>
        </Box>
        <Box sx={{ fontSize: "0.9rem", color: "text.secondary" }}>{finding.why}</Box>
        {finding.laid_down && (
          <Box sx={{ fontSize: "0.9rem" }}>
            Known, because {finding.laid_down.because} ({finding.laid_down.by}, {when(finding.laid_down.at)}){" "}
            {may && (
              <Button
                size="small"
                sx={{ py: 0 }}
                onClick={() => editing.edit({ do: "lay down", finding: finding.id, because: "" })}
              >
                Take it up again
              </Button>
            )}
          </Box>
        )}
        {open && <Opened packId={packId} finding={finding} editing={editing} may={may} />}
      </Box>
    </Box>
  );
}

function Opened({ packId, finding, editing, may }: Props) {
  const [all, setAll] = useState(false);
  const looked = useFinding(packId, finding.id, finding.mark);
  if (!looked.data) {
    return looked.error ? <RefusalRemark error={looked.error} /> : <Box role="status">Looking …</Box>;
  }
  const { evidence, ways } = looked.data;
  const lines = all ? evidence : evidence.slice(0, SHOWN);
  return (
    <Box sx={{ mt: 0.5, mb: 1 }}>
      {lines.map((each) => (
        <Box key={each} sx={{ fontFamily: mono, fontSize: "0.8rem", overflowWrap: "anywhere" }}>
          {each}
        </Box>
      ))}
      {evidence.length > lines.length && (
        <Button size="small" sx={{ px: 0 }} onClick={() => setAll(true)}>
          All {evidence.length}
        </Button>
      )}
      {finding.now && <Box sx={{ fontSize: "0.9rem", my: 0.5 }}>{finding.now}</Box>}
      {may && ways.length > 0 && <Ways packId={packId} finding={finding} ways={ways} editing={editing} />}
      <Box sx={{ display: "flex", gap: 2, flexWrap: "wrap", fontSize: "0.9rem", mt: 0.75 }}>
        {finding.pair.length === 2 && (
          <Link
            component={RouterLink}
            to={`/packs/${packId}/check/overlap/${finding.pair.map(encodeURIComponent).join("/")}`}
          >
            See both side by side
          </Link>
        )}
        {finding.mod && (
          <Link component={RouterLink} to={`/packs/${packId}/assemble?mod=${encodeURIComponent(finding.mod)}`}>
            Take it in hand
          </Link>
        )}
      </Box>
      {may && !finding.laid_down && <LayDown finding={finding} editing={editing} />}
    </Box>
  );
}

interface WaysProps extends Omit<Props, "may"> {
  ways: Shape["WayOut"][];
}

function Ways({ packId, finding, ways, editing }: WaysProps) {
  const tried = useWays(packId, finding.id, finding.mark).data;
  return (
    <Box component="ul" aria-label="Ways to mend it" sx={{ listStyle: "none", m: 0, mt: 0.5, p: 0 }}>
      {ways.map((way, at) => {
        const one = tried?.[at];
        return (
          <Box component="li" key={way.text} sx={{ display: "flex", gap: 1, py: 0.25, alignItems: "baseline" }}>
            <Button
              size="small"
              variant="outlined"
              sx={{ py: 0, flex: "none" }}
              disabled={editing.pending || (one && !one.mends && one.line.startsWith("Cannot"))}
              onClick={() => editing.edit(...(way.edits as Edit[]))}
            >
              {way.text}
            </Button>
            <Box component="span" sx={{ fontSize: "0.85rem", color: "text.secondary", minHeight: 20 }}>
              {one ? one.line : tried === undefined ? "trying it …" : ""}
            </Box>
          </Box>
        );
      })}
    </Box>
  );
}

function LayDown({ finding, editing }: { finding: Finding; editing: Editing }) {
  const [because, setBecause] = useState("");
  return (
    <Box
      component="form"
      sx={{ display: "flex", gap: 1, mt: 1, maxWidth: 560 }}
      onSubmit={(event) => {
        event.preventDefault();
        editing.edit({ do: "lay down", finding: finding.id, because, evidence: finding.mark });
      }}
    >
      <TextField
        label="Known, because"
        required
        value={because}
        onChange={(event) => setBecause(event.target.value)}
        slotProps={{ htmlInput: { maxLength: 200 } }}
      />
      <Button type="submit" sx={{ flex: "none" }} disabled={editing.pending}>
        Lay it down
      </Button>
    </Box>
  );
}
