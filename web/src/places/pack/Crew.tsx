// Crew: the roll call. A person per row, what keeps them from being in step, what to do.
import Box from "@mui/material/Box";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { Fragment, useState } from "react";
import { Link, useParams } from "react-router";
import type { Shape } from "../../api/client";
import { isBusy, usePack, useRollCall } from "../../api/queries";
import { StateMark } from "../../parts/marks";
import { Empty, Loaded } from "../../parts/notices";
import { many, when } from "../../parts/words";
import { mono } from "../../theme";

export default function Crew() {
  const { packId = "" } = useParams();
  const called = useRollCall(packId);
  const pack = usePack(packId).data;
  return (
    <Box sx={{ maxWidth: 1180, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      <Loaded query={called}>
        {(data) => (
          <>
            <Head data={data} />
            {data.rows.length ? (
              <Box sx={{ overflowX: "auto" }} tabIndex={0} role="region" aria-label="Roll call">
                <Rows rows={data.rows} />
              </Box>
            ) : (
              <Empty title="Nobody has installed this pack yet">
                {data.current
                  ? "Make a join code under Publish and hand it out."
                  : "Publish a release first; then hand out a join code."}
              </Empty>
            )}
            {data.without.length > 0 && (
              <Typography variant="body2" sx={{ mt: 2, color: "text.secondary" }}>
                In the crew without an installation of this pack: {data.without.join(", ")}.
              </Typography>
            )}
            {pack && (
              <Typography variant="body2" sx={{ mt: 1 }}>
                <Link to={`/crews/${pack.crew_id}`}>People and roles of {pack.crew}</Link>
              </Typography>
            )}
          </>
        )}
      </Loaded>
    </Box>
  );
}

function Head({ data }: { data: Shape["RollCall"] }) {
  const ready = data.rows.filter((row) => row.standing.state === "in step").length;
  return (
    <Box sx={{ display: "flex", justifyContent: "space-between", flexWrap: "wrap", gap: 2, mb: 2 }}>
      <Box>
        <Typography variant="h1">Roll call</Typography>
        {data.rows.length > 0 && (
          <Typography>
            {ready} of {many(data.rows.length, "installation")} in step with release <code>{data.current}</code>
          </Typography>
        )}
      </Box>
      {data.fingerprint && (
        <Box sx={{ textAlign: { sm: "right" } }}>
          <Typography variant="body2" sx={{ color: "text.secondary" }}>
            Fingerprint of what must match
          </Typography>
          <Box component="code" sx={{ fontSize: "1.6rem", letterSpacing: "0.06em" }}>
            {data.fingerprint}
          </Box>
        </Box>
      )}
    </Box>
  );
}

/** Columns that a phone has no room for; there, what matters of them stands below the state. */
const WIDE = ["Differences", "What to do", "Heard"];
const wide = { display: { xs: "none", sm: "table-cell" } };

function Rows({ rows }: { rows: Shape["CalledRow"][] }) {
  const [open, setOpen] = useState("");
  const sorted = [...rows].sort((a, b) => Number(a.side === "server") - Number(b.side === "server"));
  return (
    <Table size="small" sx={{ minWidth: { sm: 640 }, "& td, & th": { px: 1.25, py: 0.6 } }}>
      <TableHead>
        <TableRow>
          {["Who", "State", "Release", ...WIDE].map((head) => (
            <TableCell key={head} sx={{ color: "text.secondary", ...(WIDE.includes(head) && wide) }}>
              {head}
            </TableCell>
          ))}
        </TableRow>
      </TableHead>
      <TableBody>
        {sorted.map((row) => {
          const differences = row.standing.differences;
          const isOpen = open === row.installation;
          return (
            <Fragment key={row.installation}>
              <TableRow>
                <TableCell component="th" scope="row">
                  {row.mine ? <Link to={`/installations/${row.installation}`}>{who(row)}</Link> : who(row)}
                </TableCell>
                <TableCell>
                  {isBusy(row.progress) ? (
                    `${row.progress.phase}…`
                  ) : (
                    <StateMark state={row.standing.state} behind={row.standing.behind} />
                  )}
                  <Box sx={{ display: { sm: "none" }, fontSize: "0.85rem", overflowWrap: "anywhere" }}>
                    {differences[0] && `${differences[0].sentence}. `}
                    {row.standing.to_do}
                  </Box>
                </TableCell>
                <TableCell sx={{ fontFamily: mono, fontSize: "0.82rem" }}>{row.release}</TableCell>
                <TableCell sx={wide}>
                  {differences.length > 0 && (
                    <Box
                      component="button"
                      type="button"
                      aria-expanded={isOpen}
                      onClick={() => setOpen(isOpen ? "" : row.installation)}
                      sx={{
                        all: "unset",
                        cursor: "pointer",
                        textDecoration: "underline",
                        "&:focus-visible": { outline: "2px solid" },
                      }}
                    >
                      {differences[0].sentence}
                      {differences.length > 1 && `, and ${differences.length - 1} more`}
                    </Box>
                  )}
                </TableCell>
                <TableCell sx={wide}>{row.standing.to_do}</TableCell>
                <TableCell sx={{ ...wide, whiteSpace: "nowrap" }}>{when(row.heard_at)}</TableCell>
              </TableRow>
              {isOpen && (
                <TableRow>
                  <TableCell colSpan={6} sx={{ bgcolor: "background.paper" }}>
                    {differences.map((one) => (
                      <Box key={one.sentence} sx={{ mb: 1 }}>
                        <strong>{one.sentence}</strong> {!one.counts && "(touches only this person; need not match)"}
                        {one.paths.map((path) => (
                          <Box key={path} sx={{ fontFamily: mono, fontSize: "0.8rem", overflowWrap: "anywhere" }}>
                            {path}
                          </Box>
                        ))}
                      </Box>
                    ))}
                  </TableCell>
                </TableRow>
              )}
            </Fragment>
          );
        })}
      </TableBody>
    </Table>
  );
}

function who(row: Shape["CalledRow"]): string {
  return row.side === "server" ? `${row.name} (server)` : row.person;
}
