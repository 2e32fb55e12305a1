// A profile step by step: what there is to say of a game, each with a word on what it does.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";
import { Pick } from "../../parts/Pick";
import { mono } from "../../theme";
import type { Document } from "./useProfile";

const KINDS = ["mod", "library", "texture pack", "lighting pack", "scenario", "settings", "tool"];
const CHANNELS = ["stable", "preview", "archived"];

interface Props {
  document: Document;
  fill: (document: Document) => void;
  /** A game that is known keeps its id. */
  idIsFixed: boolean;
}

export function ProfileForm({ document, fill, idIsFixed }: Props) {
  const say = (part: Document) => fill({ ...document, ...part });
  return (
    <Box sx={{ display: "grid", gap: 3 }}>
      <Part title="The game" what="The id is for machines: small letters, digits and hyphens.">
        <Row>
          <Field label="Name" value={document.name} on={(name) => say({ name })} />
          <Field label="Id" value={document.id} disabled={idIsFixed} on={(id) => say({ id })} />
        </Row>
        <Field label="In one sentence" value={document.summary} on={(summary) => say({ summary })} />
      </Part>
      <Part title="Versions" what="Those that people play. Previews and archived ones are listed on request only.">
        <Rows
          rows={document.versions ?? []}
          change={(versions) => say({ versions })}
          fresh={{ version: "", label: "" }}
          name="version"
        >
          {(one, set) => (
            <>
              <Field label="Version" value={one.version} on={(version) => set({ version })} />
              <Field label="As people say it" value={one.label} on={(label) => set({ label })} />
              <Pick
                label="Channel"
                value={one.channel ?? "stable"}
                options={CHANNELS.map((value) => ({ value, name: value }))}
                onChange={(channel) => set({ channel: channel === "stable" ? undefined : channel })}
              />
              <Field label="Runtime" value={one.runtime} on={(runtime) => set({ runtime })} />
            </>
          )}
        </Rows>
      </Part>
      <Part title="Loaders" what="What loads mods, and which of its versions runs on which of the game. None is fine.">
        {(document.loaders ?? []).map((loader: Document, at: number) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a loader that is being written has no other identity
          <Box key={at} sx={{ borderLeft: 2, borderColor: "divider", pl: 1.5, display: "grid", gap: 1.5 }}>
            <Row>
              <Field
                label="Name"
                value={loader.name}
                on={(name) => say({ loaders: put(document.loaders, at, { name }) })}
              />
              <Field label="Id" value={loader.id} on={(id) => say({ loaders: put(document.loaders, at, { id }) })} />
              <Button
                color="error"
                onClick={() => say({ loaders: document.loaders.filter((_: Document, each: number) => each !== at) })}
              >
                Remove {loader.name || "loader"}
              </Button>
            </Row>
            <Rows
              rows={loader.versions ?? []}
              change={(versions) => say({ loaders: put(document.loaders, at, { versions }) })}
              fresh={{ version: "", games: ">=1" }}
              name={`version of ${loader.name || "it"}`}
            >
              {(one, set) => (
                <>
                  <Field label="Version" value={one.version} on={(version) => set({ version })} />
                  <Field label="Runs on" value={one.games} on={(games) => set({ games })} />
                  <FormControlLabel
                    control={
                      <Checkbox
                        size="small"
                        checked={one.recommended === true}
                        onChange={(_, on) => set({ recommended: on || undefined })}
                      />
                    }
                    label="recommended"
                  />
                </>
              )}
            </Rows>
          </Box>
        ))}
        <Box>
          <Button
            variant="outlined"
            size="small"
            onClick={() => say({ loaders: [...(document.loaders ?? []), { id: "", name: "", versions: [] }] })}
          >
            Add a loader
          </Button>
        </Box>
      </Part>
      <Part
        title="Where content goes"
        what="A folder below the game's; {mod} stands for the mod's id. The marker is a file at the root of an archive that says what it is."
      >
        {KINDS.map((kind) => {
          const layout: Document | undefined = document.kinds?.[kind];
          const set = (part: Document) => say({ kinds: { ...document.kinds, [kind]: { ...layout, ...part } } });
          return (
            <Row key={kind}>
              <FormControlLabel
                sx={{ width: 150, flex: "none" }}
                control={
                  <Checkbox
                    size="small"
                    checked={layout !== undefined}
                    onChange={(_, on) => {
                      const { [kind]: _gone, ...others } = document.kinds ?? {};
                      say({ kinds: on ? { ...others, [kind]: { place: "mods/{mod}" } } : others });
                    }}
                  />
                }
                label={kind}
              />
              {layout && (
                <>
                  <Field label="Folder" value={layout.place} on={(place) => set({ place })} code />
                  <Field
                    label="Marker, if any"
                    value={layout.marker}
                    on={(marker) => set({ marker: marker || undefined })}
                    code
                  />
                </>
              )}
            </Row>
          );
        })}
      </Part>
      <Part title="Folders and files" what="One a line. In patterns * is anything but a slash, ** anything.">
        <Row>
          <Lines label="Managed folders" value={document.managed} on={(managed) => say({ managed })} />
          <Lines label="Folders of worlds" value={document.worlds} on={(worlds) => say({ worlds })} />
        </Row>
        <Row>
          <Lines label="Settings files" value={document.settings} on={(settings) => say({ settings })} />
          <Lines label="Other data that can be read" value={document.data} on={(data) => say({ data })} />
        </Row>
      </Part>
      <Part
        title="Memory"
        what="MB of the game alone, and of a mod that does not say: each, and for every MB of its files."
      >
        <Row>
          <Numeral
            label="The game alone"
            value={document.memory?.base}
            on={(base) => say({ memory: { ...document.memory, base } })}
          />
        </Row>
        {Object.keys(document.kinds ?? {}).map((kind) => {
          const one: Document = document.memory?.estimates?.[kind] ?? {};
          const set = (part: Document) =>
            say({
              memory: {
                base: 0,
                ...document.memory,
                estimates: { ...document.memory?.estimates, [kind]: { each: 0, per_mb: 0, ...one, ...part } },
              },
            });
          return (
            <Row key={kind}>
              <Box sx={{ width: 150, flex: "none" }}>{kind}</Box>
              <Numeral label="Each" value={one.each} on={(each) => set({ each })} />
              <Numeral label="Per MB" value={one.per_mb} on={(per_mb) => set({ per_mb })} />
            </Row>
          );
        })}
      </Part>
      <Part
        title="Start and log"
        what="How the program is called, by which it is looked for, and where it writes its log."
      >
        <Row>
          {["linux", "windows", "macos"].map((system) => (
            <Field
              key={system}
              label={`Program on ${system}`}
              value={document.start?.files?.[system]}
              on={(name) =>
                say({ start: { ...document.start, files: { ...document.start?.files, [system]: name || undefined } } })
              }
              code
            />
          ))}
        </Row>
        <Row>
          <Lines
            label="Arguments"
            value={document.start?.arguments}
            on={(list) => say({ start: { ...document.start, arguments: list } })}
          />
          <Lines
            label="Arguments for a start without mods"
            value={document.start?.plain}
            on={(plain) => say({ start: { ...document.start, plain } })}
          />
        </Row>
        <Row>
          {BESIDE.map(({ name, label }) => (
            <Lines
              key={name}
              label={label}
              value={document.start?.[name]}
              on={(list) => say({ start: { ...document.start, [name]: list } })}
            />
          ))}
        </Row>
        <Row>
          <Field
            label="Its log"
            value={document.log?.place}
            on={(place) => say({ log: place ? { ...document.log, place } : undefined })}
            code
          />
          <Field
            label="A line of it"
            value={document.log?.line}
            on={(line) => say({ log: { ...document.log, line: line || undefined } })}
            code
          />
          <Field
            label="Says at the main screen"
            value={document.log?.main_screen}
            on={(text) => say({ log: { ...document.log, main_screen: text || undefined } })}
          />
        </Row>
        <Row>
          <Field
            label="Says of a mod that came up"
            value={document.log?.loaded}
            on={(text) => say({ log: { ...document.log, loaded: text || undefined } })}
            code
          />
          <Field
            label="Says when it is closed"
            value={document.log?.closed}
            on={(text) => say({ log: { ...document.log, closed: text || undefined } })}
          />
          <Lines
            label="Says when it crashes"
            value={document.log?.crash}
            on={(crash) => say({ log: { ...document.log, crash } })}
          />
        </Row>
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          Messages that are known, with what helps, are written in the text.
        </Typography>
      </Part>
    </Box>
  );
}

/** What is added to the arguments where there is something to fill in. */
const BESIDE = [
  { name: "memory", label: "With memory, {memory_mb}" },
  { name: "window", label: "With a window, {window}" },
  { name: "server", label: "Joining a server, {server}" },
];

const put = (rows: Document[], at: number, part: Document) =>
  rows.map((one, each) => (each === at ? { ...one, ...part } : one));

function Part({ title, what, children }: { title: string; what: string; children: ReactNode }) {
  return (
    <Box component="fieldset" sx={{ border: 0, p: 0, m: 0, minWidth: 0, "& > *": { mb: 1.5 } }}>
      <Typography component="legend" variant="h3" sx={{ p: 0, mb: 0.5 }}>
        {title}
      </Typography>
      <Typography variant="body2" sx={{ color: "text.secondary", mt: -0.5, mb: 1.5 }}>
        {what}
      </Typography>
      {children}
    </Box>
  );
}

function Row({ children }: { children: ReactNode }) {
  return (
    <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: { xs: "wrap", md: "nowrap" } }}>{children}</Box>
  );
}

function Rows(props: {
  rows: Document[];
  change: (rows: Document[]) => void;
  fresh: Document;
  name: string;
  children: (one: Document, set: (part: Document) => void) => ReactNode;
}) {
  return (
    <>
      {props.rows.map((one, at) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a row that is being written has no other identity
        <Row key={at}>
          {props.children(one, (part) => props.change(put(props.rows, at, part)))}
          <Button
            size="small"
            color="error"
            aria-label={`Remove ${props.name} ${one.version || at + 1}`}
            onClick={() => props.change(props.rows.filter((_, each) => each !== at))}
          >
            Remove
          </Button>
        </Row>
      ))}
      <Box>
        <Button variant="outlined" size="small" onClick={() => props.change([{ ...props.fresh }, ...props.rows])}>
          Add a {props.name}
        </Button>
      </Box>
    </>
  );
}

interface FieldProps {
  label: string;
  value: string | undefined;
  on: (value: string) => void;
  code?: boolean;
  disabled?: boolean;
}

function Field({ label, value, on, code, disabled }: FieldProps) {
  return (
    <TextField
      label={label}
      value={value ?? ""}
      disabled={disabled}
      slotProps={code ? { htmlInput: { style: { fontFamily: mono, fontSize: "0.85rem" } } } : {}}
      onChange={(event) => on(event.target.value)}
    />
  );
}

function Numeral({ label, value, on }: { label: string; value: number | undefined; on: (value: number) => void }) {
  return (
    <TextField
      label={label}
      type="number"
      value={value ?? ""}
      sx={{ maxWidth: 160 }}
      slotProps={{ htmlInput: { min: 0, step: "any" } }}
      onChange={(event) => on(Number(event.target.value))}
    />
  );
}

function Lines({ label, value, on }: { label: string; value: string[] | undefined; on: (value: string[]) => void }) {
  return (
    <TextField
      label={label}
      multiline
      minRows={2}
      value={(value ?? []).join("\n")}
      slotProps={{ htmlInput: { style: { fontFamily: mono, fontSize: "0.85rem" } } }}
      onChange={(event) => on(event.target.value.split("\n").filter((one, at, all) => one || at === all.length - 1))}
    />
  );
}
