// The evening's board: what needs me first, then each pack with the end of its line, the next departure, newer builds and
// open findings.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import Tooltip from "@mui/material/Tooltip";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { api, type Shape, told } from "../../api/client";
import { Emblem, Hidden, StateMark, stateColour, stateShape } from "../../parts/marks";
import { clock, day, many, when } from "../../parts/words";
import { mono } from "../../theme";

const EVERY = 60_000;

/** An installation of one's own: where it stands, and what to do. */
export function Mine({ one }: { one: Shape["InstallationRow"] }) {
  const waits = one.standing.to_do !== "";
  return (
    <Row emblem={one.emblem} to={`/installations/${one.id}`} name={one.pack} about={`${one.name}, ${one.crew}`}>
      <Box sx={{ flex: 1, minWidth: 200 }}>
        <StateMark state={one.standing.state} behind={one.standing.behind} />
        {one.release && <span style={{ fontFamily: mono, fontSize: "0.8rem" }}> {one.release}</span>}
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          heard {when(one.heard_at)}
        </Typography>
      </Box>
      <Typography variant="body2" sx={{ flex: 2, minWidth: 220 }}>
        {one.standing.withdrawn || one.standing.other || one.standing.to_do || "Nothing to do."}
      </Typography>
      <Button
        size="small"
        variant={waits ? "contained" : "text"}
        component={Link}
        to={`/installations/${one.id}`}
        sx={{ flex: "none", width: 130 }}
      >
        {waits ? "See to it" : "Open"}
        <Hidden>{`: ${one.name}`}</Hidden>
      </Button>
    </Row>
  );
}

/** A pack of one's crews. */
export function PackOnBoard({ one }: { one: Shape["PackRow"] }) {
  const board = useQuery({
    queryKey: ["pack", one.id, "board"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/board", { params: { path: { pack_id: one.id } } })),
    refetchInterval: EVERY,
    staleTime: EVERY,
  });
  const curates = one.role !== "member";
  const base = `${one.base.game_name} ${one.base.game_label}`;
  return (
    <Row
      emblem={one.emblem}
      to={`/packs/${one.id}/${curates || one.suits ? "assemble" : "crew"}`}
      name={one.name}
      about={one.suits ? `Collection, ${one.suits.words}` : [one.group || one.crew, base].join(", ")}
    >
      <Box sx={{ flex: 2, minWidth: 260, minHeight: 54 }}>
        {board.data && <SmallLine packId={one.id} board={board.data} />}
      </Box>
      <Box sx={{ flex: 1, minWidth: 170, minHeight: 44, fontSize: "0.875rem" }}>
        {board.data && !one.suits && <Departure packId={one.id} next={board.data.departure} />}
      </Box>
      <Box sx={{ flex: 1, minWidth: 170, minHeight: 44, fontSize: "0.875rem" }}>
        {board.data && (curates ? <Open one={one} board={board.data} /> : many(one.chosen, "chosen mod"))}
      </Box>
    </Row>
  );
}

function Row(props: { emblem: string; to: string; name: string; about: string; children: ReactNode }) {
  return (
    <Box
      component="li"
      sx={{
        display: "flex",
        alignItems: "center",
        gap: 2,
        py: 1.25,
        borderTop: 1,
        borderColor: "divider",
        flexWrap: "wrap",
      }}
    >
      <Box sx={{ display: "flex", gap: 1.25, alignItems: "center", width: 250 }}>
        <Emblem name={props.emblem} size={28} />
        <Box sx={{ minWidth: 0 }}>
          <Typography variant="h3" component="h3">
            <Link to={props.to}>{props.name}</Link>
          </Typography>
          <Typography variant="body2" sx={{ color: "text.secondary" }}>
            {props.about}
          </Typography>
        </Box>
      </Box>
      {props.children}
    </Box>
  );
}

/** The newest end of the line: marks with who is there, as small as it can be read. */
function SmallLine({ packId, board }: { packId: string; board: Shape["BoardOut"] }) {
  const known = new Set(board.stops.map((one) => one.number));
  const before = board.people.filter((one) => !known.has(one.release));
  if (!board.stops.length)
    return (
      <Typography variant="body2" sx={{ color: "text.secondary" }}>
        No release yet{board.pending ? `; ${many(board.pending, "change")} in the draft` : ""}.
      </Typography>
    );
  return (
    <Box
      sx={{
        display: "flex",
        position: "relative",
        "&::before": {
          content: '""',
          position: "absolute",
          left: 8,
          right: 8,
          top: 29,
          borderTop: "2px solid",
          borderColor: "text.secondary",
          opacity: 0.4,
        },
      }}
    >
      {before.length > 0 && <SmallStop label="earlier" people={before} />}
      {board.stops.map((one) => (
        <SmallStop
          key={one.number}
          label={one.number}
          people={board.people.filter((who) => who.release === one.number)}
          to={`/packs/${packId}/releases/${one.number}`}
          filled={one.open}
        />
      ))}
      <SmallStop label={board.pending ? `draft +${board.pending}` : "draft"} people={[]} />
    </Box>
  );
}

function SmallStop(props: { label: string; people: Shape["LinePerson"][]; to?: string; filled?: boolean }) {
  const said = props.people.map((one) => `${one.person}, ${one.state}`).join("; ");
  const mark = (
    <Box
      sx={{
        width: 11,
        height: 11,
        borderRadius: "50%",
        border: "2px solid",
        borderColor: props.to ? "primary.main" : "text.secondary",
        bgcolor: props.filled ? "primary.main" : "background.default",
      }}
    />
  );
  return (
    <Box sx={{ flex: 1, minWidth: 0, display: "flex", flexDirection: "column", alignItems: "center" }}>
      <Tooltip title={said}>
        <Box sx={{ height: 20, fontSize: "0.75rem", whiteSpace: "nowrap", lineHeight: "20px" }}>
          {props.people.slice(0, 4).map((one) => (
            <Box
              component="span"
              key={one.installation}
              sx={{ color: stateColour(one.state), fontWeight: 700, px: 0.2 }}
            >
              <span aria-hidden>{stateShape(one.state)}</span>
              {one.server ? "S" : one.initials}
            </Box>
          ))}
          {props.people.length > 4 && `+${props.people.length - 4}`}
          {said && <Hidden>{`: ${said}`}</Hidden>}
        </Box>
      </Tooltip>
      {props.to ? (
        <ButtonBase component={Link} to={props.to} aria-label={`Release ${props.label}`} sx={{ p: 0.5, zIndex: 1 }}>
          {mark}
        </ButtonBase>
      ) : (
        <Box sx={{ p: 0.5, zIndex: 1 }}>{mark}</Box>
      )}
      <Box sx={{ fontFamily: mono, fontSize: "0.72rem", whiteSpace: "nowrap" }}>{props.label}</Box>
    </Box>
  );
}

function Departure({ packId, next }: { packId: string; next: Shape["BoardOut"]["departure"] }) {
  if (!next) return <Box sx={{ color: "text.secondary" }}>No departure is set.</Box>;
  const today = new Date(next.at).toDateString() === new Date().toDateString();
  const waiting = next.waiting.length;
  return (
    <>
      <Link to={`/packs/${packId}/crew`}>
        {today ? "Tonight" : day(next.at)}, {clock(next.at)}
      </Link>
      <Box sx={{ color: waiting ? "warning.main" : "text.secondary" }}>
        {next.ready} ready{waiting ? `, ${waiting} not yet` : ""}
        {next.silent.length ? `, ${next.silent.length} silent` : ""}
      </Box>
      {next.mine === null && <Box sx={{ color: "warning.main" }}>Will you come?</Box>}
    </>
  );
}

/** What is open in a pack that one curates; each figure leads to what it counts. */
function Open({ one, board }: { one: Shape["PackRow"]; board: Shape["BoardOut"] }) {
  const rows: [string, string, string][] = [];
  if (board.blockers) rows.push([many(board.blockers, "blocker"), "check", "error.main"]);
  if (board.warnings) rows.push([many(board.warnings, "warning"), "check", "warning.main"]);
  if (board.newer) rows.push([many(board.newer, "newer build"), "assemble?updates=1", "info.main"]);
  if (!rows.length) return <Box sx={{ color: "text.secondary" }}>Nothing is open.</Box>;
  return (
    <>
      {rows.map(([what, place, colour]) => (
        <Box key={what}>
          <Box
            component={Link}
            to={`/packs/${one.id}/${place}`}
            sx={{ color: colour, display: "inline-block", py: 0.25 }}
          >
            {what}
          </Box>
        </Box>
      ))}
    </>
  );
}
