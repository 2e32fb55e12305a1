// The roll call's rows: who, state, what keeps them, what to do, since when. A row opens side by side with the release.
import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { Fragment, useState } from "react";
import { Link } from "react-router";
import type { Shape } from "../../api/client";
import { isBusy } from "../../api/queries";
import { Copy } from "../../parts/Copy";
import { StateMark } from "../../parts/marks";
import { gigabytes, many, when } from "../../parts/words";
import { mono } from "../../theme";
import { DifferenceRows } from "./DifferenceRows";

type Row = Shape["CalledRow"];

/** Columns that a phone has no room for; there, what matters of them stands below the state. */
const WIDE = ["What keeps them", "What to do", "Since", "Machine"];
const wide = { display: { xs: "none", sm: "table-cell" } };

export const who = (row: Row) =>
  row.side === "server" ? `${row.name} (server)` : row.by_listing ? `${row.person} (by listing)` : row.person;

interface Props {
  rows: Row[];
  chosen: string[];
  setChosen: (chosen: string[]) => void;
}

export function RollCallTable({ rows, chosen, setChosen }: Props) {
  const [open, setOpen] = useState("");
  const choose = (id: string, on: boolean) =>
    setChosen(on ? [...chosen, id].slice(-2) : chosen.filter((each) => each !== id));
  return (
    <Box sx={{ overflowX: "auto" }} tabIndex={0} role="region" aria-label="Roll call">
      <Table
        size="small"
        sx={{
          minWidth: { sm: 900 },
          "& > * > tr > td, & > * > tr > th": { px: 1, py: 0.25, height: 34, fontSize: "0.86rem" },
        }}
      >
        <TableHead>
          <TableRow>
            <TableCell sx={{ ...wide, width: 36 }} aria-label="Compare" />
            {["Who", "State", "Release", ...WIDE].map((head) => (
              <TableCell key={head} sx={{ color: "text.secondary", ...(WIDE.includes(head) && wide) }}>
                {head}
              </TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {rows.map((row) => {
            const isOpen = open === row.installation;
            return (
              <Fragment key={row.installation}>
                <TableRow>
                  <TableCell sx={wide}>
                    <Checkbox
                      size="small"
                      checked={chosen.includes(row.installation)}
                      onChange={(event) => choose(row.installation, event.target.checked)}
                      slotProps={{ input: { "aria-label": `Compare ${who(row)}` } }}
                      sx={{ p: 0.25 }}
                    />
                  </TableCell>
                  <Cells row={row} isOpen={isOpen} toggle={() => setOpen(isOpen ? "" : row.installation)} />
                </TableRow>
                {isOpen && (
                  <TableRow>
                    <TableCell colSpan={8} sx={{ bgcolor: "background.paper" }}>
                      <Opened row={row} />
                    </TableCell>
                  </TableRow>
                )}
              </Fragment>
            );
          })}
        </TableBody>
      </Table>
    </Box>
  );
}

function Cells({ row, isOpen, toggle }: { row: Row; isOpen: boolean; toggle: () => void }) {
  const keeps = row.keeps;
  return (
    <>
      <TableCell component="th" scope="row" sx={{ whiteSpace: { sm: "nowrap" } }}>
        {row.mine && !row.by_listing ? <Link to={`/installations/${row.installation}`}>{who(row)}</Link> : who(row)}
      </TableCell>
      <TableCell>
        {isBusy(row.progress) ? (
          `${row.progress.phase}…`
        ) : (
          <StateMark state={row.standing.state} behind={row.standing.behind} />
        )}
        <Box sx={{ display: { sm: "none" }, fontSize: "0.85rem", overflowWrap: "anywhere" }}>
          {keeps && `${keeps}. `}
          {row.standing.to_do}
        </Box>
      </TableCell>
      <TableCell sx={{ fontFamily: mono, fontSize: "0.82rem" }}>{row.release || "none"}</TableCell>
      <TableCell sx={{ ...wide, width: "22%" }}>
        {keeps && (
          <Box
            component="button"
            type="button"
            aria-expanded={isOpen}
            onClick={toggle}
            sx={{
              all: "unset",
              cursor: "pointer",
              textDecoration: "underline",
              "&:focus-visible": { outline: "2px solid" },
            }}
          >
            {keeps}
          </Box>
        )}
      </TableCell>
      <TableCell sx={{ ...wide, width: "36%" }}>
        <Box sx={{ display: "flex", gap: 0.5, alignItems: "center" }}>
          <Box sx={{ flex: 1 }}>{row.standing.to_do}</Box>
          {row.message && <Copy text={row.message} name="Message" />}
        </Box>
      </TableCell>
      <TableCell sx={{ ...wide, whiteSpace: "nowrap" }}>{row.standing.since ? when(row.standing.since) : ""}</TableCell>
      <TableCell sx={{ ...wide, whiteSpace: "nowrap", fontSize: "0.82rem" }}>
        {row.fit.machine > 0 && gigabytes(row.fit.machine)}
        {row.fit.machine > 0 && row.fit.figure > 0 && !row.fit.obstacles.length && `, set ${row.fit.figure} MB`}
      </TableCell>
    </>
  );
}

function Opened({ row }: { row: Row }) {
  return (
    <Box sx={{ display: "grid", gap: 1, gridTemplateColumns: { xs: "1fr", md: "3fr 2fr" } }}>
      <Box>
        {row.standing.differences.map((one) => (
          <DifferenceRows key={one.sentence} difference={one} />
        ))}
        {(row.standing.withdrawn || row.standing.other) && (
          <Box>{row.standing.withdrawn || `${row.standing.other}.`}</Box>
        )}
        {[...row.fit.obstacles, ...row.fit.remarks].map((one) => (
          <Box key={one}>{one}.</Box>
        ))}
        {row.errands > 0 && <Box>{many(row.errands, "file")} to bring by hand.</Box>}
      </Box>
      <Box sx={{ fontSize: "0.85rem" }}>
        <Box sx={{ color: "text.secondary" }}>Fingerprint here, and as its release has it</Box>
        <Box component="code" sx={{ fontSize: "1.15rem" }}>
          {row.fingerprint || "none"} {row.fingerprint === row.wanted ? "=" : "≠"} {row.wanted || "none"}
        </Box>
        {row.message && (
          <>
            <Box sx={{ color: "text.secondary", mt: 1 }}>A message, to copy</Box>
            <Box
              sx={{ whiteSpace: "pre-line", borderLeft: 2, borderColor: "divider", pl: 1, overflowWrap: "anywhere" }}
            >
              {row.message}
            </Box>
          </>
        )}
      </Box>
    </Box>
  );
}
