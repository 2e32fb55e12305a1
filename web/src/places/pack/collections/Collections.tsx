// Collections under the pack: in which order they lie, what the pack has otherwise, newer releases; and those that it
// could take up.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import type { Shape } from "../../../api/client";
import { useOfferedCollections } from "../../../api/queries";
import { Emblem } from "../../../parts/marks";
import { Loaded, RefusalRemark, Remark } from "../../../parts/notices";
import { many } from "../../../parts/words";
import { mono } from "../../../theme";
import type { Editing } from "../useEditing";

type Collection = Shape["CollectionOut"];

interface Props {
  packId: string;
  collections: Collection[];
  editing: Editing;
  may: boolean;
  close: () => void;
}

export function CollectionsDialog({ packId, collections, editing, may, close }: Props) {
  const offered = useOfferedCollections(packId);
  return (
    <Dialog open onClose={close} maxWidth="md" fullWidth aria-labelledby="collections-title">
      <DialogTitle id="collections-title">Collections under this pack</DialogTitle>
      <DialogContent sx={{ minHeight: 360 }}>
        <Typography variant="body2" sx={{ color: "text.secondary", mb: 1 }}>
          They lie under the pack’s own lines. A line of the pack goes before the same mod of a collection; of two
          collections the later one does. Members see one pack.
        </Typography>
        <RefusalRemark error={editing.refused} />
        {collections.map((one, at) => (
          <Taken
            key={one.id}
            one={one}
            before={collections[at - 1]}
            after={collections[at + 2]}
            isLast={at === collections.length - 1}
            editing={editing}
            may={may}
          />
        ))}
        {!collections.length && <p>None yet.</p>}
        <Typography variant="h3" sx={{ mt: 3, mb: 0.5 }}>
          To take up
        </Typography>
        <Loaded query={offered} rows={2}>
          {(rows) =>
            rows.length ? (
              <Box component="ul" sx={{ listStyle: "none", p: 0, m: 0 }}>
                {rows.map((one) => (
                  <Offered key={one.id} one={one} editing={editing} may={may} />
                ))}
              </Box>
            ) : (
              <Typography variant="body2" sx={{ color: "text.secondary" }}>
                Your crews have no other collection for this game. <Link to="/packs/new?as=collection">Start one</Link>
              </Typography>
            )
          }
        </Loaded>
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>Done</Button>
      </DialogActions>
    </Dialog>
  );
}

const figure = { fontFamily: mono, fontSize: "0.82rem" };

function Taken({
  one,
  before,
  after,
  isLast,
  editing,
  may,
}: {
  one: Collection;
  before?: Collection;
  after?: Collection;
  isLast: boolean;
  editing: Editing;
  may: boolean;
}) {
  const busy = editing.pending;
  const move = (to: string) => editing.edit({ do: "move collection", collection: one.id, before: to });
  return (
    <Box component="section" aria-label={one.name} sx={{ borderTop: 1, borderColor: "divider", py: 1.25 }}>
      <Box sx={{ display: "flex", gap: 1.25, alignItems: "center", flexWrap: "wrap" }}>
        <Emblem name={one.emblem} size={24} />
        <Box sx={{ minWidth: 0 }}>
          <strong>{one.is_seen ? <Link to={`/packs/${one.id}/assemble`}>{one.name}</Link> : one.name}</strong>{" "}
          <Box component="span" sx={figure}>
            {one.number}
          </Box>
          {one.held && (
            <Box component="span" sx={{ color: "info.main", ml: 0.75, fontSize: "0.8rem" }}>
              stays here
            </Box>
          )}
          <Box sx={{ fontSize: "0.82rem", color: "text.secondary" }}>{sums(one)}</Box>
        </Box>
        <Box sx={{ flex: 1 }} />
        {may && (
          <Box sx={{ display: "flex", gap: 0.5, flexWrap: "wrap", alignItems: "center" }}>
            {one.newer && (
              <Button
                size="small"
                variant="contained"
                disabled={busy}
                onClick={() => editing.edit({ do: "take up", collection: one.id, release: one.newer, hold: one.held })}
              >
                Take {one.newer}
              </Button>
            )}
            <Step name={`${one.name} lower`} sign="↑" off={!before || busy} go={() => before && move(before.id)} />
            <Step name={`${one.name} higher`} sign="↓" off={isLast || busy} go={() => move(after?.id ?? "")} />
            <Button
              size="small"
              disabled={busy}
              onClick={() => editing.edit({ do: "take up", collection: one.id, release: one.number, hold: !one.held })}
            >
              {one.held ? "Let it move" : "Keep it here"}
            </Button>
            <Button
              size="small"
              disabled={busy}
              onClick={() => editing.edit({ do: "detach", collection: one.id })}
              title="Its lines become the pack’s own, and are followed no more."
            >
              Detach
            </Button>
            <Button
              size="small"
              color="error"
              disabled={busy}
              onClick={() => editing.edit({ do: "drop collection", collection: one.id })}
            >
              Drop
            </Button>
          </Box>
        )}
      </Box>
      {(one.withdrawn || one.misfit) && (
        <Remark tone="warning" live={false}>
          {one.withdrawn ? `This release was withdrawn: ${one.withdrawn}` : `By its own word it is ${one.misfit}.`}
        </Remark>
      )}
      {(one.otherwise.length > 0 || one.sets_otherwise.length > 0) && (
        <Box
          component="ul"
          aria-label={`Otherwise here than in ${one.name}`}
          sx={{ m: 0, mt: 0.5, pl: 5, fontSize: "0.86rem" }}
        >
          {one.otherwise.map((each) => (
            <li key={each.mod}>
              {each.name}:{" "}
              <Box component="span" sx={figure}>
                {each.instead || "left out"}
              </Box>
              {each.by ? ` of ${each.by}` : " here"}, not{" "}
              <Box component="span" sx={figure}>
                {each.version}
              </Box>
            </li>
          ))}
          {one.sets_otherwise.map((each) => (
            <li key={`${each.path} ${each.key.join(".")}`}>
              <Box component="span" sx={figure}>
                {each.key.join(".")}
              </Box>{" "}
              in {each.path}:{" "}
              <Box component="span" sx={figure}>
                {each.ours}
              </Box>{" "}
              here, not{" "}
              <Box component="span" sx={figure}>
                {each.theirs}
              </Box>
            </li>
          ))}
        </Box>
      )}
    </Box>
  );
}

function sums(one: Collection): string {
  return [
    many(one.lines, "line"),
    one.shared > 0 && `${one.shared} here already`,
    one.otherwise.length > 0 && `${one.otherwise.length} otherwise here`,
    one.settings > 0 && many(one.settings, "setting"),
    one.steps > 0 && many(one.steps, "step by hand", "steps by hand"),
    one.crew && `by ${one.crew}`,
  ]
    .filter(Boolean)
    .join(", ");
}

function Step({ name, sign, off, go }: { name: string; sign: string; off: boolean; go: () => void }) {
  return (
    <Button size="small" sx={{ minWidth: 28, p: 0 }} disabled={off} onClick={go} aria-label={`${name} ${sign}`}>
      {sign}
    </Button>
  );
}

function Offered({ one, editing, may }: { one: Shape["OfferedOut"]; editing: Editing; may: boolean }) {
  return (
    <Box
      component="li"
      sx={{ display: "flex", gap: 1.25, alignItems: "center", py: 1, borderTop: 1, borderColor: "divider" }}
    >
      <Emblem name={one.emblem} size={24} />
      <Box sx={{ flex: 1, minWidth: 0, color: one.why ? "text.secondary" : undefined }}>
        <strong>{one.name}</strong>{" "}
        <Box component="span" sx={figure}>
          {one.number}
        </Box>{" "}
        <Box component="span" sx={{ fontSize: "0.82rem", color: "text.secondary" }}>
          {[one.number && many(one.mods, "mod"), one.suits, `by ${one.crew}`].filter(Boolean).join(", ")}
        </Box>
        <Box sx={{ fontSize: "0.88rem" }}>{one.why || one.notes}</Box>
      </Box>
      {may && (
        <Button
          size="small"
          variant="outlined"
          disabled={!one.number || editing.pending}
          onClick={() => editing.edit({ do: "take up", collection: one.id })}
          aria-label={`Take up ${one.name}`}
        >
          Take up
        </Button>
      )}
    </Box>
  );
}
