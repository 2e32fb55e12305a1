// Sealing: until when nobody but its curators sees what is in a release, and who is let in beside them.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { api, type Shape, told } from "../../api/client";
import { useChange, useCrew } from "../../api/queries";
import { RefusalRemark, Remark } from "../../parts/notices";
import { moment } from "../../parts/words";

export interface Sealing {
  until: string;
  letIn: string[];
}

export const OPEN: Sealing = { until: "", letIn: [] };

/** As publishing takes it. */
export const asSealed = (one: Sealing) => ({
  sealed_until: one.until ? new Date(one.until).toISOString() : null,
  let_in: one.until ? one.letIn : [],
});

/** Before publishing: the hour, who is let in, and whether the draft is kept meanwhile. */
export function SealFields(props: {
  pack: Shape["PackOut"];
  value: Sealing;
  onChange: (value: Sealing) => void;
  wrong?: string;
}) {
  const { pack, value, onChange } = props;
  const [open, setOpen] = useState(false);
  if (!open && !value.until) {
    return (
      <Box>
        <Button size="small" onClick={() => setOpen(true)}>
          Seal it until an hour
        </Button>
      </Box>
    );
  }
  return (
    <Box
      component="fieldset"
      sx={{ border: 1, borderColor: "divider", borderRadius: 1, p: 2, m: 0, display: "grid", gap: 1.5 }}
    >
      <legend>A surprise until its hour</legend>
      <Typography variant="body2">
        Machines install it at once, so that the evening starts in step. Members see its number, size, demands, errands
        and steps, and nothing else of it; at the hour it opens by itself.
      </Typography>
      <TextField
        label="Sealed until"
        type="datetime-local"
        value={value.until}
        error={!!props.wrong}
        helperText={props.wrong || "Whoever looks into their own folder sees the files: that is not hidden."}
        onChange={(event) => onChange({ ...value, until: event.target.value })}
        slotProps={{ inputLabel: { shrink: true } }}
        sx={{ maxWidth: 260 }}
      />
      <LetIn crew={pack.crew_id} chosen={value.letIn} choose={(letIn) => onChange({ ...value, letIn })} />
      {value.until && !pack.kept && !pack.kept_until && <KeepDraft pack={pack} />}
      <Box>
        <Button
          size="small"
          onClick={() => {
            onChange(OPEN);
            setOpen(false);
          }}
        >
          Leave it open
        </Button>
      </Box>
    </Box>
  );
}

/** Members may look at the draft while it is being put together, unless its curators keep it. */
function KeepDraft({ pack }: { pack: Shape["PackOut"] }) {
  const keep = useChange(
    () => told(api.PATCH("/api/packs/{pack_id}", { params: { path: { pack_id: pack.id } }, body: { kept: true } })),
    ["pack", pack.id],
  );
  return (
    <Remark tone="warning" live={false}>
      Members can look at this draft until you publish.{" "}
      <Button size="small" disabled={keep.isPending} onClick={() => keep.mutate(undefined)}>
        Keep it to its curators
      </Button>
      <RefusalRemark error={keep.error} />
    </Remark>
  );
}

function LetIn({ crew, chosen, choose }: { crew: string; chosen: string[]; choose: (people: string[]) => void }) {
  const people = useCrew(crew).data?.people.filter((one) => one.role === "member") ?? [];
  if (!people.length) return null;
  return (
    <Box role="group" aria-label="Let in beside its curators">
      <Typography variant="body2">Let in beside its curators, as whoever keeps the server:</Typography>
      {people.map((one) => (
        <FormControlLabel
          key={one.username}
          control={
            <Checkbox
              size="small"
              checked={chosen.includes(one.username)}
              onChange={(_, on) =>
                choose(on ? [...chosen, one.username] : chosen.filter((each) => each !== one.username))
              }
            />
          }
          label={one.name}
        />
      ))}
    </Box>
  );
}

/** On the page of a release that is sealed: for its curators, who is let in; for the others, what they may know. */
export function Sealed({ pack, one }: { pack: Shape["PackOut"]; one: Shape["ReleaseOut"] }) {
  const [chosen, setChosen] = useState(one.let_in);
  const path = { pack_id: pack.id, number: one.number };
  const keep = useChange(
    () =>
      told(api.PUT("/api/packs/{pack_id}/releases/{number}/let-in", { params: { path }, body: { people: chosen } })),
    ["pack", pack.id],
  );
  if (!one.sealed_until) return null;
  const curates = pack.role !== "member";
  return (
    <Box sx={{ mb: 2 }}>
      <Remark tone="primary" live={false}>
        <strong>Sealed until {moment(one.sealed_until)}.</strong>{" "}
        {one.hidden
          ? "What is in it is a surprise until then. Sync now: it is installed meanwhile, and the evening starts in step. The files lie on your own disk; nobody stops you from looking there but you."
          : "Members are shown its number, size, demands, errands and steps, and nothing else of it. It opens by itself."}
        {curates && !one.hidden && (
          <Box sx={{ mt: 1 }}>
            <LetIn crew={pack.crew_id} chosen={chosen} choose={setChosen} />
            {[...chosen].sort().join() !== one.let_in.join() && (
              <Button size="small" variant="outlined" disabled={keep.isPending} onClick={() => keep.mutate(undefined)}>
                Keep it so
              </Button>
            )}
            <RefusalRemark error={keep.error} />
          </Box>
        )}
      </Remark>
    </Box>
  );
}
