// Every base of the game against the chosen lines: how many have a build there, through a counterpart, or none.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { Shape } from "../../api/client";
import { useBases } from "../../api/queries";
import { Loaded } from "../../parts/notices";
import type { BaseChoice } from "../BaseFields";

type Outlook = Shape["BaseOutlookOut"];

interface Props {
  packId: string;
  value: BaseChoice;
  choose: (base: BaseChoice) => void;
}

export function BaseOutlook({ packId, value, choose }: Props) {
  const [all, setAll] = useState(false);
  return (
    <Loaded query={useBases(packId)} rows={6}>
      {(bases) => {
        const shown = bases.filter((one) => all || one.channel === "stable" || one.now);
        return (
          <Box sx={{ overflowX: "auto" }} tabIndex={0} role="region" aria-label="Bases">
            <Box
              component="table"
              aria-label="What each base means for the chosen lines"
              sx={{
                width: "100%",
                borderCollapse: "collapse",
                fontSize: "0.88rem",
                "& td, & th": { py: 0.5, pr: 1.5, textAlign: "left" },
              }}
            >
              <thead>
                <Box component="tr" sx={{ color: "text.secondary" }}>
                  <th>Base</th>
                  <th style={{ width: "34%" }}>Chosen lines with a build</th>
                  <th>Same build</th>
                  <th>Other build</th>
                  <th>Counterpart</th>
                  <th>None</th>
                  <th aria-label="Action" />
                </Box>
              </thead>
              <tbody>
                {shown.map((one) => (
                  <BaseRow key={`${one.game_version} ${one.loader}`} one={one} value={value} choose={choose} />
                ))}
              </tbody>
            </Box>
            {shown.length < bases.length && (
              <Button size="small" onClick={() => setAll(true)}>
                Previews and archived versions too
              </Button>
            )}
          </Box>
        );
      }}
    </Loaded>
  );
}

function BaseRow({ one, value, choose }: { one: Outlook } & Omit<Props, "packId">) {
  const looked = value.game_version === one.game_version && value.loader === one.loader;
  const share = one.of ? (100 * one.exist) / one.of : 100;
  const told = (lines: Outlook["missing"], how: (line: Outlook["missing"][number]) => string) =>
    lines.map(how).join("\n");
  return (
    <Box component="tr" sx={{ borderTop: 1, borderColor: "divider", bgcolor: looked ? "action.selected" : undefined }}>
      <td>
        <strong>{one.label}</strong>
        {one.loader && `, ${one.loader_name} ${one.loader_version}`}
        {one.channel !== "stable" && ` (${one.channel})`}
      </td>
      <td>
        <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
          <Box aria-hidden sx={{ flex: 1, height: 8, bgcolor: "divider" }}>
            <Box sx={{ width: `${share}%`, height: 8, bgcolor: one.missing.length ? "info.main" : "primary.main" }} />
          </Box>
          <span style={{ whiteSpace: "nowrap" }}>
            {one.exist} of {one.of}
          </span>
        </Box>
      </td>
      <td>{one.same}</td>
      <td title={told(one.change, (line) => `${line.name} ${line.text}`)}>{one.change.length || "–"}</td>
      <td title={told(one.through, (line) => `${line.name}: ${line.text}`)}>{one.through.length || "–"}</td>
      <td title={told(one.missing, (line) => `${line.name}: ${line.text}`)}>
        {one.missing.length ? (
          <Box component="span" sx={{ color: "error.main" }}>
            ▬ {one.missing.length}
          </Box>
        ) : (
          "–"
        )}
      </td>
      <td>
        {one.now ? (
          "now"
        ) : (
          <Button
            size="small"
            sx={{ py: 0 }}
            aria-label={`Look at ${one.label} ${one.loader_name}`}
            onClick={() =>
              choose({ game_version: one.game_version, loader: one.loader, loader_version: one.loader_version })
            }
          >
            Look
          </Button>
        )}
      </td>
    </Box>
  );
}
