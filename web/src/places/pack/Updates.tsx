// What an update would bring, before it is taken: from and to, change logs, what comes along, what leaves, and what stays
// behind and why. All can be taken, or some.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import { type ReactNode, useState } from "react";
import type { Shape } from "../../api/client";
import { useUpdates } from "../../api/queries";
import { ChangeList } from "../../parts/ChangeList";
import { Loaded } from "../../parts/notices";
import { bytes, many } from "../../parts/words";
import { mono } from "../../theme";
import type { Editing } from "./useEditing";

type Move = Shape["UpdateOut"];

export function UpdatesDialog({ packId, editing, close }: { packId: string; editing: Editing; close: () => void }) {
  const query = useUpdates(packId);
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const moves = query.data?.moves ?? [];
  const collections = (query.data?.collections ?? []).filter((one) => !one.held);
  const newer = moves.filter((one) => one.before && one.after);
  const taken = newer.filter((one) => !left.has(one.mod));
  const moving = collections.filter((one) => !left.has(one.id));
  const all = taken.length === newer.length && moving.length === collections.length;
  const size = taken.reduce((sum, one) => sum + one.size, 0);
  return (
    <Dialog open onClose={close} maxWidth="md" fullWidth aria-labelledby="updates-title">
      <DialogTitle id="updates-title">Newer builds that fit</DialogTitle>
      <DialogContent sx={{ minHeight: 360 }}>
        <Loaded query={query} rows={8}>
          {(data) => (
            <>
              {data.collections.map((one) => (
                <NewerCollection
                  key={one.id}
                  one={one}
                  on={!one.held && !left.has(one.id)}
                  toggle={() => setLeft(toggled(left, one.id))}
                />
              ))}
              {newer.length === 0 && <p>Every line has the newest build that fits.</p>}
              {newer.map((one) => (
                <NewerBuild
                  key={one.mod}
                  one={one}
                  on={!left.has(one.mod)}
                  toggle={() => setLeft(toggled(left, one.mod))}
                />
              ))}
              <Along title="Comes along" moves={moves.filter((one) => !one.before)} />
              <Along title="Leaves" moves={moves.filter((one) => !one.after)} />
              {data.behind.length > 0 && (
                <Box component="section" sx={{ mt: 2 }}>
                  <h3 style={{ margin: "0 0 4px" }}>Stays behind ({data.behind.length})</h3>
                  {data.behind.map((one) => (
                    <Box key={one.mod} sx={{ fontSize: "0.9rem", py: 0.25 }}>
                      <strong>{one.name}</strong>{" "}
                      <Box component="span" sx={{ fontFamily: mono, fontSize: "0.8rem" }}>
                        {one.version}
                      </Box>
                      , though there is {one.newest}: {one.why}.
                      <SettingsOf one={one} />
                    </Box>
                  ))}
                </Box>
              )}
            </>
          )}
        </Loaded>
      </DialogContent>
      <DialogActions>
        <Box sx={{ flex: 1, pl: 2, fontSize: "0.9rem" }}>
          {taken.length > 0 && `${taken.length} of ${many(newer.length, "update")}, ${bytes(size)} for each member`}
          {taken.length > 0 && moving.length > 0 && "; "}
          {moving.length > 0 && many(moving.length, "collection")}
        </Box>
        <Button onClick={close}>Leave it as it is</Button>
        <Button
          variant="contained"
          disabled={!(taken.length + moving.length) || editing.pending}
          onClick={() => {
            const mods = all ? moves.flatMap((one) => (one.before ? [one.mod] : [])) : taken.map((one) => one.mod);
            editing.edit(
              ...moving.map((one) => ({ do: "take up" as const, collection: one.id, release: one.after })),
              ...(mods.length ? [{ do: "update" as const, mods }] : []),
            );
            close();
          }}
        >
          Take {all ? "them all" : `these ${taken.length + moving.length}`}
        </Button>
      </DialogActions>
    </Dialog>
  );
}

function toggled(set: ReadonlySet<string>, one: string): ReadonlySet<string> {
  const next = new Set(set);
  if (!next.delete(one)) next.add(one);
  return next;
}

interface NewerProps {
  one: Pick<Move, "name" | "before" | "after">;
  on: boolean;
  held?: boolean;
  toggle: () => void;
  /** Beside its name. */
  remarks: ReactNode;
  /** Version, and what is said of it. */
  logs: [string, string][];
  above?: ReactNode;
  children?: ReactNode;
}

function Newer({ one, on, held, toggle, remarks, above, logs, children }: NewerProps) {
  return (
    <Box sx={{ display: "flex", gap: 1, py: 0.75, borderBottom: 1, borderColor: "divider" }}>
      <Checkbox
        size="small"
        checked={on}
        disabled={held}
        onChange={toggle}
        sx={{ p: 0, alignSelf: "flex-start" }}
        slotProps={{ input: { "aria-label": `Take ${one.name} ${one.after}` } }}
      />
      <Box sx={{ minWidth: 0, flex: 1 }}>
        <Box sx={{ display: "flex", gap: 1, alignItems: "baseline", flexWrap: "wrap" }}>
          <strong>{one.name}</strong>
          <Box component="span" sx={{ fontFamily: mono, fontSize: "0.82rem" }}>
            {one.before} → {one.after}
          </Box>
          {remarks}
        </Box>
        {above}
        {logs.map(([version, text]) => (
          <Box key={version} sx={{ fontSize: "0.86rem", color: "text.secondary" }}>
            <Box component="span" sx={{ fontFamily: mono, fontSize: "0.78rem" }}>
              {version}
            </Box>{" "}
            {text}
          </Box>
        ))}
        {children}
      </Box>
    </Box>
  );
}

function NewerBuild({ one, on, toggle }: { one: Move; on: boolean; toggle: () => void }) {
  return (
    <Newer
      one={one}
      on={on}
      toggle={toggle}
      remarks={
        <>
          {!one.chosen && <Box sx={{ color: "text.secondary", fontSize: "0.82rem" }}>brought in</Box>}
          <Box sx={{ color: "text.secondary", fontSize: "0.82rem", ml: "auto" }}>{bytes(one.size)}</Box>
        </>
      }
      above={<SettingsOf one={one} />}
      logs={one.logs.map((log) => [log.version, log.text])}
    />
  );
}

/** A collection that has a newer release: what its curators say of it, and what it changes. */
function NewerCollection({ one, on, toggle }: { one: Shape["CollectionUpdateOut"]; on: boolean; toggle: () => void }) {
  return (
    <Newer
      one={one}
      on={on}
      held={one.held}
      toggle={toggle}
      remarks={
        <Box sx={{ color: "text.secondary", fontSize: "0.82rem" }}>
          collection{one.held && `, kept at ${one.before}`}
        </Box>
      }
      logs={one.releases.map((each) => [each.number, each.notes])}
    >
      <Box component="details" sx={{ fontSize: "0.86rem", "& summary": { cursor: "pointer" } }}>
        <summary>{many(one.changes.length, "change")} in it</summary>
        <ChangeList changes={one.changes} />
      </Box>
    </Newer>
  );
}

const SAID: Record<Shape["SettingsWhat"], string> = {
  new: "new",
  gone: "gone",
  renamed: "renamed, likely",
  "other default": "other default",
};

/** What the newer build has otherwise in its settings: what the pack sets among it stands out. */
function SettingsOf({ one }: { one: Pick<Move, "name" | "settings"> }) {
  if (!one.settings.length) return null;
  return (
    <Box component="ul" aria-label={`Settings of ${one.name}`} sx={{ m: 0, pl: 2.25, fontSize: "0.86rem" }}>
      {one.settings.map((each) => (
        <li key={`${each.path} ${each.what} ${each.key.join(".")}`}>
          <Box component="span" sx={{ fontFamily: mono, fontSize: "0.8rem" }}>
            {each.key.join(".")}
            {each.now.length > 0 && ` → ${each.now.join(".")}`}
          </Box>{" "}
          {SAID[each.what]}
          {each.what === "other default" && `: ${each.before} → ${each.after}`}
          {each.what === "new" && `: ${each.after}`}
          {each.is_set && each.what !== "other default" && (
            <Box component="span" sx={{ color: "warning.main", fontWeight: 600 }}>
              {" "}
              ◆ the pack sets it; {each.what === "renamed" ? "set it under its new name" : "that would do nothing more"}
            </Box>
          )}
        </li>
      ))}
    </Box>
  );
}

function Along({ title, moves }: { title: string; moves: Move[] }) {
  if (!moves.length) return null;
  return (
    <Box component="section" sx={{ mt: 2, fontSize: "0.9rem" }}>
      <h3 style={{ margin: "0 0 4px" }}>
        {title} ({moves.length})
      </h3>
      {moves.map((one) => `${one.name} ${one.after || one.before}`).join(", ")}
    </Box>
  );
}
