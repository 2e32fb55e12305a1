// Departures: a date to play, the release that it needs, who is coming, who is ready, and what changed since last time.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { api, type Shape, told } from "../../api/client";
import { useChange, useDepartures, useReleases } from "../../api/queries";
import { Answer } from "../../parts/Answer";
import { ChangeList } from "../../parts/ChangeList";
import { RefusalRemark } from "../../parts/notices";
import { Pick } from "../../parts/Pick";
import { asTyped, clock, many, moment } from "../../parts/words";

type Departure = Shape["DepartureOut"];

export function Departures({ pack }: { pack: Shape["PackOut"] }) {
  const found = useDepartures(pack.id).data;
  const [setting, setSetting] = useState(false);
  const may = pack.role !== "member";
  if (!found) return <Box sx={{ minHeight: 34 }} />;
  return (
    <Box sx={{ display: "grid", gap: 0.5, mb: 1 }}>
      {found.map((one) => (
        <OneDeparture key={one.id} one={one} pack={pack} may={may} />
      ))}
      {may && !setting && pack.newest_release && (
        <Box>
          <Button size="small" variant={found.length ? "text" : "outlined"} onClick={() => setSetting(true)}>
            Set a departure
          </Button>
        </Box>
      )}
      {setting && <DepartureForm pack={pack} close={() => setSetting(false)} />}
    </Box>
  );
}

function OneDeparture({ one, pack, may }: { one: Departure; pack: Shape["PackOut"]; may: boolean }) {
  const path = { pack_id: pack.id, departure_id: one.id };
  const [moving, setMoving] = useState(false);
  const callOff = useChange(
    () => told(api.DELETE("/api/packs/{pack_id}/departures/{departure_id}", { params: { path } })),
    ["pack", pack.id, "departures"],
  );
  return (
    <Paper variant="outlined" component="section" sx={{ px: 2, py: 1.5 }} aria-label="Departure">
      <Box sx={{ display: "flex", gap: 3, flexWrap: "wrap", alignItems: "flex-start" }}>
        <Box sx={{ minWidth: 220, flex: 1 }}>
          <Typography variant="h2">{moment(one.at)}</Typography>
          <Box sx={{ fontSize: "0.9rem" }}>
            {timeLeft(one.at)} ·{" "}
            {one.needed ? (
              <>
                needs release <code>{one.needed}</code>
                {!one.release && " (the newest)"}
              </>
            ) : (
              "waits for a release: none is open"
            )}
          </Box>
          <Box sx={{ fontSize: "0.9rem", color: "text.secondary" }}>
            {one.note} {one.set_by}
          </Box>
          <Box sx={{ display: "flex", gap: 0.5, mt: 1, flexWrap: "wrap" }}>
            <Answer pack={pack.id} departure={one} />
            {may && (
              <>
                <Button size="small" aria-expanded={moving} onClick={() => setMoving(!moving)}>
                  Change it
                </Button>
                <Button size="small" color="error" onClick={() => callOff.mutate(undefined)}>
                  Call it off
                </Button>
              </>
            )}
          </Box>
          <RefusalRemark error={callOff.error} />
        </Box>
        <Box sx={{ minWidth: 260, flex: 1.4 }}>
          <Ready one={one} />
          <Started one={one} />
        </Box>
      </Box>
      {moving && <DepartureForm pack={pack} one={one} close={() => setMoving(false)} />}
      {one.changes.length > 0 && (
        <Box component="details" sx={{ mt: 1, fontSize: "0.9rem", "& summary": { cursor: "pointer" } }}>
          <summary>
            {many(one.changes.length, "change")} since last time ({one.last})
          </summary>
          <ChangeList changes={one.changes} />
        </Box>
      )}
    </Paper>
  );
}

/** Who has started the game for it, and whether with the right thing. */
function Started({ one }: { one: Departure }) {
  if (!one.started.length) return null;
  return (
    <Box component="ul" aria-label="Started" sx={{ listStyle: "none", m: 0, mt: 0.75, p: 0, fontSize: "0.9rem" }}>
      {one.started.map((each) => {
        const { shape, colour } = STARTS[each.state];
        return (
          <li key={each.who + each.began}>
            <Box component="span" sx={{ color: each.right ? colour : "warning.main", fontWeight: 600 }}>
              <span aria-hidden>{each.right ? shape : "◆"}</span> {each.who}
            </Box>{" "}
            {SAYS[each.state]} at {clock(each.began)}
            {!each.right &&
              (each.release === one.needed ? ", with something else in it" : `, with ${each.release || "no release"}`)}
          </li>
        );
      })}
    </Box>
  );
}

const STARTS: Record<Shape["StartState"], { shape: string; colour: string }> = {
  starting: { shape: "○", colour: "text.secondary" },
  up: { shape: "●", colour: "primary.main" },
  closed: { shape: "–", colour: "text.secondary" },
  crashed: { shape: "■", colour: "error.main" },
};

const SAYS: Record<Shape["StartState"], string> = {
  starting: "is starting it, begun",
  up: "plays, since",
  closed: "has played, from",
  crashed: "crashed, started",
};

function Ready({ one }: { one: Departure }) {
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
        <Box component="span" sx={{ fontSize: "1.3rem", fontWeight: 600 }}>
          {one.ready} of {one.coming.length} ready
        </Box>
        <Box role="img" aria-label={`${one.ready} of ${one.coming.length} ready`} sx={{ display: "flex", gap: 0.4 }}>
          {one.coming.map((name, at) => (
            <Box
              key={name}
              sx={{
                width: 14,
                height: 14,
                border: 2,
                borderColor: "primary.main",
                bgcolor: at < one.ready ? "primary.main" : "transparent",
              }}
            />
          ))}
        </Box>
      </Box>
      {one.waiting.map((each) => (
        <Box key={each.who} sx={{ fontSize: "0.9rem" }}>
          <strong>{each.who}</strong>: {each.to_do}
        </Box>
      ))}
      <Box sx={{ fontSize: "0.85rem", color: "text.secondary", mt: 0.5 }}>
        {[
          one.coming.length > 0 && `Coming: ${one.coming.join(", ")}.`,
          one.absent.length > 0 && `Not this time: ${one.absent.join(", ")}.`,
          one.silent.length > 0 && `No answer yet: ${one.silent.join(", ")}.`,
        ]
          .filter(Boolean)
          .join(" ")}
      </Box>
    </>
  );
}

/** A new departure, or another date, release or note for `one`. */
function DepartureForm({ pack, one, close }: { pack: Shape["PackOut"]; one?: Departure; close: () => void }) {
  const releases = (useReleases(pack.id).data ?? []).filter((each) => !each.withdrawn);
  const [at, setAt] = useState(one ? asTyped(one.at) : "");
  const [release, setRelease] = useState(one?.release ?? "");
  const [note, setNote] = useState(one?.note ?? "");
  const set = useChange(() => {
    const body = { at: new Date(at).toISOString(), release, note };
    const to = "/api/packs/{pack_id}/departures" as const;
    const path = { pack_id: pack.id, departure_id: one?.id ?? "" };
    return one
      ? told(api.PUT(`${to}/{departure_id}`, { params: { path }, body }))
      : told(api.POST(to, { params: { path: { pack_id: pack.id } }, body }));
  }, ["pack", pack.id, "departures"]);
  return (
    <Paper
      variant="outlined"
      component="form"
      sx={{ p: 2, display: "flex", gap: 1.5, flexWrap: "wrap", alignItems: "center" }}
      onSubmit={(event) => {
        event.preventDefault();
        set.mutate(undefined, { onSuccess: close });
      }}
    >
      <TextField
        label="When"
        type="datetime-local"
        required
        value={at}
        onChange={(event) => setAt(event.target.value)}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <Pick
        label="Release"
        value={release}
        options={[
          { value: "", name: "The newest then" },
          ...releases.map((one) => ({
            value: one.number,
            name: one.channel === "trial" ? `${one.number} · trial` : one.number,
          })),
        ]}
        onChange={setRelease}
        sx={{ minWidth: 170 }}
      />
      <TextField
        label="Note"
        value={note}
        onChange={(event) => setNote(event.target.value)}
        sx={{ flex: 1, minWidth: 200 }}
      />
      <Button type="submit" variant="contained" disabled={set.isPending || !at}>
        {one ? "Keep it so" : "Set it"}
      </Button>
      <Button onClick={close}>Not now</Button>
      {one && asTyped(one.at) !== at && (
        <Box sx={{ width: "100%", fontSize: "0.85rem", color: "text.secondary" }}>
          Everybody is told, and answers anew: they said yes to the old date.
        </Box>
      )}
      <RefusalRemark error={set.error} />
    </Paper>
  );
}

export function timeLeft(iso: string): string {
  const hours = (Date.parse(iso) - Date.now()) / 3_600_000;
  if (hours < 0) return "under way";
  if (hours < 1) return `in ${Math.max(1, Math.round(hours * 60))} min`;
  return hours < 48 ? `in ${Math.round(hours)} h` : `in ${Math.round(hours / 24)} days`;
}
