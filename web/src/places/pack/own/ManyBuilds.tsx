// A folder of archives, or a ZIP of them, becomes the crew's own builds in one go.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import LinearProgress from "@mui/material/LinearProgress";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useRef } from "react";
import type { Shape } from "../../../api/client";
import { REACHES, SIDES } from "../../../parts/meanings";
import { RefusalRemark } from "../../../parts/notices";
import { Pick } from "../../../parts/Pick";
import { many } from "../../../parts/words";
import { mono } from "../../../theme";
import type { Editing } from "../useEditing";
import { type BuildRow, useManyBuilds } from "./useManyBuilds";

const named = (names: Record<string, string>) => Object.entries(names).map(([value, name]) => ({ value, name }));

export function ManyBuilds(props: { pack: Shape["PackOut"]; editing: Editing; close: () => void }) {
  const { pack, editing } = props;
  const work = useManyBuilds(pack);
  const folder = useRef<HTMLInputElement>(null);
  const zip = useRef<HTMLInputElement>(null);
  const { base } = pack;
  const done = [...new Set(work.rows.flatMap((one) => (one.mod && one.state !== "to fill" ? [one.mod] : [])))];
  const close = () => {
    work.stop();
    props.close();
  };
  return (
    <Dialog open onClose={close} maxWidth="lg" fullWidth aria-labelledby="many-title">
      <DialogTitle id="many-title">Many archives for {pack.crew}</DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 1.5, minHeight: 320, alignContent: "start" }}>
        {!work.rows.length && !work.busy && (
          <>
            <Typography variant="body2">
              Each is held against the sources first; what none of them has becomes one of the crew's own builds. What
              is not known of one is filled in below, for all of them or one by one.
            </Typography>
            <Box sx={{ display: "flex", gap: 1 }}>
              <Button variant="outlined" onClick={() => folder.current?.click()}>
                A folder of archives…
              </Button>
              <Button variant="outlined" onClick={() => zip.current?.click()}>
                A ZIP of archives…
              </Button>
            </Box>
          </>
        )}
        <input
          ref={folder}
          type="file"
          hidden
          multiple
          aria-label="Folder of archives"
          // @ts-expect-error: browsers know it, React's types do not
          webkitdirectory=""
          onChange={(event) =>
            work.takeFiles([...(event.target.files ?? [])].filter((one) => /\.zip$/i.test(one.name)).slice(0, 500))
          }
        />
        <input
          ref={zip}
          type="file"
          hidden
          accept=".zip"
          aria-label="ZIP of archives"
          onChange={(event) => event.target.files?.[0] && work.takeZip(event.target.files[0])}
        />
        {work.busy && (
          <Box role="status">
            {work.busy}
            <LinearProgress sx={{ mt: 0.5 }} aria-label={work.busy} />
          </Box>
        )}
        <RefusalRemark error={work.error} />
        {work.rows.length > 0 && (
          <>
            <Box sx={{ display: "grid", gap: 1, gridTemplateColumns: { xs: "1fr 1fr", md: "repeat(6, 1fr)" } }}>
              <TextField
                label="Licence of all"
                placeholder="MIT"
                value={work.forAll.licence}
                onChange={(event) => work.say({ licence: event.target.value })}
              />
              <TextField
                label="Page of all"
                value={work.forAll.page}
                onChange={(event) => work.say({ page: event.target.value })}
              />
              <Pick
                label="Made for"
                value={work.forAll.games}
                options={[
                  { value: `=${base.game_version}`, name: `${base.game_label} only` },
                  { value: `>=${base.game_version}`, name: `${base.game_label} and newer` },
                  { value: "*", name: "every version" },
                ]}
                onChange={(games) => work.say({ games })}
              />
              <Pick
                label="Loader"
                value={work.forAll.loader}
                options={[
                  ...(base.loader ? [{ value: base.loader, name: base.loader_name }] : []),
                  { value: "", name: "any" },
                ]}
                onChange={(loader) => work.say({ loader })}
              />
              <Pick
                label="Side"
                value={work.forAll.side}
                options={named(SIDES)}
                onChange={(side) => work.say({ side: side as Shape["Side"] })}
              />
              <Pick
                label="Reach"
                value={work.forAll.reach}
                options={named(REACHES)}
                onChange={(reach) => work.say({ reach: reach as Shape["Reach"] })}
              />
            </Box>
            <Rows rows={work.rows} put={work.put} />
          </>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>{work.busy ? "Stop" : "Close"}</Button>
        {work.ready.length > 0 && (
          <Button variant={done.length ? "outlined" : "contained"} disabled={!!work.busy} onClick={work.make}>
            Make {many(work.ready.length, "build")}
          </Button>
        )}
        {done.length > 0 && (
          <Button
            variant="contained"
            disabled={!!work.busy}
            onClick={() => {
              editing.edit({ do: "add many", mods: done });
              close();
            }}
          >
            Add {many(done.length, "mod")} to the draft
          </Button>
        )}
      </DialogActions>
    </Dialog>
  );
}

const STATES: Record<BuildRow["state"], string> = {
  waits: "○ waits",
  looking: "◐ looking",
  known: "● known",
  "to fill": "◆ to fill in",
  refused: "▬ refused",
  made: "● made",
};

/** Plain fields: there may be hundreds of rows. */
function Rows({ rows, put }: { rows: BuildRow[]; put: (at: number, what: Partial<BuildRow>) => void }) {
  const field = {
    font: "inherit",
    color: "inherit",
    width: "100%",
    bgcolor: "background.default",
    border: 1,
    borderColor: "divider",
    px: 0.75,
    height: 28,
  };
  return (
    <Box
      tabIndex={0}
      role="region"
      aria-label="Archives"
      sx={{
        overflow: "auto",
        maxHeight: 420,
        fontSize: "0.875rem",
        "& table": { width: "100%", borderCollapse: "collapse" },
        "& th": { textAlign: "left", position: "sticky", top: 0, bgcolor: "background.paper" },
        "& th, & td": { py: 0.4, pr: 1, borderBottom: 1, borderColor: "divider" },
      }}
    >
      <table>
        <thead>
          <tr>
            {["File", "", "Name", "Version", "Kind", "Licence", "Page"].map((one) => (
              <th key={one} scope="col">
                {one}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((one, at) => {
            const open = one.state === "to fill";
            const input = (name: "name" | "version" | "licence" | "page", label: string) => (
              <Box
                component="input"
                aria-label={`${label} of ${one.file}`}
                value={one[name]}
                onChange={(event: React.ChangeEvent<HTMLInputElement>) => put(at, { [name]: event.target.value })}
                sx={field}
              />
            );
            return (
              // biome-ignore lint/suspicious/noArrayIndexKey: a file's place is its identity here
              <tr key={at}>
                <td style={{ fontFamily: mono, fontSize: "0.78rem", maxWidth: 240, overflowWrap: "anywhere" }}>
                  {one.file}
                  {one.told && <Box sx={{ color: open ? "warning.main" : "text.secondary" }}>{one.told}</Box>}
                </td>
                <td style={{ whiteSpace: "nowrap" }}>{STATES[one.state]}</td>
                {open ? (
                  <>
                    <td>{input("name", "Name")}</td>
                    <td style={{ width: 90 }}>{input("version", "Version")}</td>
                    <td style={{ width: 130 }}>
                      <Box
                        component="select"
                        aria-label={`Kind of ${one.file}`}
                        value={one.kind}
                        onChange={(event: React.ChangeEvent<HTMLSelectElement>) =>
                          put(at, { kind: event.target.value })
                        }
                        sx={field}
                      >
                        <option value="">choose</option>
                        {one.dropped?.kinds
                          .filter((each) => each.fits)
                          .map((each) => (
                            <option key={each.kind} value={each.kind}>
                              {each.kind}
                            </option>
                          ))}
                      </Box>
                    </td>
                    <td style={{ width: 110 }}>{input("licence", "Licence")}</td>
                    <td>{input("page", "Page")}</td>
                  </>
                ) : (
                  <td colSpan={5}>{one.state === "made" && one.name}</td>
                )}
              </tr>
            );
          })}
        </tbody>
      </table>
    </Box>
  );
}
