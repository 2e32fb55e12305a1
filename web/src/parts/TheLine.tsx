// The line: a pack's releases from left to right, the draft at the open end, members above the release they run,
// the server below it. One look says who is where.
import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import Tooltip from "@mui/material/Tooltip";
import { useEffect, useRef } from "react";
import { Link } from "react-router";
import type { Shape } from "../api/client";
import { useLine } from "../api/queries";
import { mono } from "../theme";
import { Hidden, stateColour, stateShape } from "./marks";
import { day, many } from "./words";

const SHOWN_STOPS = 10;
const SHOWN_PEOPLE = 4;

type Person = Shape["LinePerson"];

export function TheLine({ packId }: { packId: string }) {
  const line = useLine(packId).data;
  // Where it is too long for the screen, its newest end is what one came for.
  const scroller = useRef<HTMLElement>(null);
  const length = line?.stops.length ?? 0;
  useEffect(() => {
    if (scroller.current && length) scroller.current.scrollLeft = scroller.current.scrollWidth;
  }, [length]);
  const stops = (line?.stops ?? []).slice(-SHOWN_STOPS);
  const first = stops[0]?.number;
  // Whoever runs nothing yet, or something older than the oldest shown mark, stands at the left end.
  const known = new Set(stops.map((one) => one.number));
  const at = (number: string) => line?.people.filter((one) => one.release === number) ?? [];
  const before = line?.people.filter((one) => !known.has(one.release)) ?? [];
  const marks = [...(before.length ? [""] : []), ...stops.map((one) => one.number), "draft"];
  return (
    <Box
      component="nav"
      ref={scroller}
      tabIndex={0}
      aria-label="The line: releases and who runs them"
      sx={{
        height: 98,
        px: 3,
        display: "flex",
        alignItems: "stretch",
        borderBottom: 1,
        borderColor: "divider",
        position: "relative",
        overflowX: "auto",
        "&::before": {
          content: '""',
          position: "absolute",
          left: 24,
          right: 24,
          top: 50,
          borderTop: "2px solid",
          borderColor: "text.secondary",
          opacity: 0.5,
        },
      }}
    >
      {line && (
        <>
          {before.length > 0 && (
            <Stop people={before} packId={packId} label="not yet" title="No release yet, or an old one" />
          )}
          {stops.map((mark) => (
            <Stop
              key={mark.number}
              people={at(mark.number)}
              packId={packId}
              label={mark.number}
              title={`Release ${mark.number}${told(mark)}, ${day(mark.published_at)}, ${
                mark.number === first && line.stops.length === stops.length
                  ? many(mark.changes, "mod")
                  : many(mark.changes, "change")
              }`}
              to={`/packs/${packId}/releases/${mark.number}`}
              filled={mark.open}
              struck={mark.withdrawn}
            />
          ))}
          <Stop
            people={[]}
            packId={packId}
            label={line.pending ? `draft +${line.pending}` : "draft"}
            title={
              line.pending
                ? `The draft: ${many(line.pending, "change")} since the last release`
                : "The draft: nothing has changed"
            }
            to={`/packs/${packId}/publish`}
          />
          <Played packId={packId} line={line} marks={marks} />
        </>
      )}
    </Box>
  );
}

/** The playthrough that is open, or that ended last, as a stretch of the line with its name below. */
function Played({ packId, line, marks }: { packId: string; line: Shape["TheLine"]; marks: string[] }) {
  const one = line.playthroughs.find((each) => each.open) ?? line.playthroughs.at(-1);
  if (!one) return null;
  const middle = (at: number) => ((at + 0.5) / marks.length) * 100;
  const begun = Math.max(0, marks.indexOf(one.begun));
  const last = marks.indexOf(one.last);
  if (last < 0) return null;
  // While it is open it goes on towards the draft.
  const [from, to] = [middle(begun), one.open ? middle(last) + 25 / marks.length : middle(last)];
  const more = line.playthroughs.filter((each) => each.open).length - 1;
  const said = `${one.name}: ${one.open ? "being" : "was"} played in ${one.world}, from ${one.begun}${
    one.open ? " on" : ` to ${one.last}`
  }; may change: ${one.rule}`;
  const at = (share: number) => `calc(24px + (100% - 48px) * ${share / 100})`;
  return (
    <>
      <Box
        aria-hidden
        sx={{
          position: "absolute",
          left: at(from),
          width: `calc((100% - 48px) * ${(to - from) / 100})`,
          top: 48,
          borderTop: one.open ? "5px solid" : "5px dotted",
          borderColor: "primary.main",
        }}
      />
      <Tooltip title={said}>
        <ButtonBase
          component={Link}
          to={`/packs/${packId}/crew`}
          aria-label={said}
          sx={{
            position: "absolute",
            left: `calc(${at(from)} + 30px)`,
            // Between two marks, where nothing else is written.
            maxWidth: `calc((100% - 48px) / ${marks.length} - 60px)`,
            minWidth: 24,
            top: 53,
            height: 24,
            fontSize: "0.75rem",
            color: "primary.main",
            display: "block",
            overflow: "hidden",
            textOverflow: "ellipsis",
            whiteSpace: "nowrap",
          }}
        >
          {one.name}
          {more > 0 && ` +${more}`}
        </ButtonBase>
      </Tooltip>
    </>
  );
}

const told = (mark: Shape["StopOut"]) =>
  (mark.channel === "trial" ? " (trial)" : "") +
  (mark.withdrawn ? " (withdrawn)" : "") +
  (mark.sealed ? " (sealed)" : "");

function Stop(props: {
  people: Person[];
  packId: string;
  label: string;
  title: string;
  to?: string;
  filled?: boolean;
  struck?: boolean;
}) {
  const players = props.people.filter((one) => !one.server);
  const servers = props.people.filter((one) => one.server);
  return (
    <Box sx={{ flex: 1, minWidth: 104, display: "flex", flexDirection: "column", alignItems: "center" }}>
      <Box sx={{ height: 38, display: "flex", alignItems: "flex-end", gap: 0.5 }}>
        {players.slice(0, SHOWN_PEOPLE).map((one) => (
          <Initials key={one.installation} person={one} packId={props.packId} />
        ))}
        {players.length > SHOWN_PEOPLE && (
          <Box component="span" sx={{ fontSize: "0.8rem" }}>
            +{players.length - SHOWN_PEOPLE}
          </Box>
        )}
      </Box>
      <Tooltip title={props.title}>
        <Box sx={{ zIndex: 1 }}>
          {props.to ? (
            <ButtonBase component={Link} to={props.to} aria-label={props.title} sx={{ p: 0.75, borderRadius: "50%" }}>
              <Mark filled={props.filled} />
            </ButtonBase>
          ) : (
            <Box sx={{ p: 0.75, py: 1.1 }}>
              <Mark small />
            </Box>
          )}
        </Box>
      </Tooltip>
      <Box
        sx={{
          display: "flex",
          gap: 1,
          alignItems: "center",
          fontFamily: mono,
          fontSize: "0.78rem",
          whiteSpace: "nowrap",
        }}
      >
        <Box component="span" sx={{ textDecoration: props.struck ? "line-through" : undefined }}>
          {props.label}
        </Box>
        {servers.map((one) => (
          <Initials key={one.installation} person={one} packId={props.packId} />
        ))}
      </Box>
    </Box>
  );
}

function Mark({ filled = false, small = false }: { filled?: boolean; small?: boolean }) {
  const size = small ? 8 : 14;
  return (
    <Box
      sx={{
        width: size,
        height: size,
        borderRadius: "50%",
        border: "2px solid",
        borderColor: small ? "text.secondary" : "primary.main",
        bgcolor: filled ? "primary.main" : "background.default",
      }}
    />
  );
}

function Initials({ person, packId }: { person: Person; packId: string }) {
  const who = `${person.server ? `${person.name} (server)` : person.person}: ${person.state}. ${person.to_do}`;
  const to = person.mine ? `/installations/${person.installation}` : `/packs/${packId}/crew`;
  return (
    <Tooltip title={who}>
      <ButtonBase
        component={Link}
        to={to}
        sx={{
          border: 1,
          borderColor: stateColour(person.state),
          color: stateColour(person.state),
          bgcolor: "background.paper",
          borderRadius: person.server ? "2px" : "10px",
          px: 0.6,
          height: 24,
          minWidth: 24,
          fontSize: "0.75rem",
          fontWeight: 700,
          gap: 0.3,
        }}
      >
        <span aria-hidden>{stateShape(person.state)}</span>
        {person.server ? "server" : person.initials}
        <Hidden>{`, ${who}`}</Hidden>
      </ButtonBase>
    </Tooltip>
  );
}
