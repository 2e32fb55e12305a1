// What is asked about a file that no source knows, before it becomes one of the crew's own builds.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import Radio from "@mui/material/Radio";
import RadioGroup from "@mui/material/RadioGroup";
import TextField from "@mui/material/TextField";
import type { Shape } from "../../../api/client";
import { REACHES, SIDES } from "../../../parts/meanings";
import { RefusalRemark, Remark } from "../../../parts/notices";
import { Pick } from "../../../parts/Pick";
import { bytes, many } from "../../../parts/words";
import { mono } from "../../../theme";
import { type Said, useOwnBuild } from "./useOwnBuild";

interface Props {
  pack: Shape["PackOut"];
  dropped: Shape["DroppedOut"];
  made: (mod: string, name: string, isNew: boolean) => void;
}

const LICENCES = ["MIT", "Apache-2.0", "GPL-3.0-only", "CC-BY-4.0", "CC-BY-SA-4.0", "CC-BY-NC-4.0", "CC0-1.0"];
const named = (names: Record<string, string>) => Object.entries(names).map(([value, name]) => ({ value, name }));

export function OwnBuildForm({ pack, dropped, made }: Props) {
  const { said, say, field, fitting, kind, licence, mayCarry, ask, send, read } = useOwnBuild(pack, dropped);
  const { base } = pack;
  return (
    <Box
      component="form"
      aria-label="About this file"
      sx={{ display: "grid", gap: 1.5, mt: 1 }}
      onSubmit={(event) => {
        event.preventDefault();
        send.mutate(undefined, { onSuccess: (one) => made(one.mod, one.name, !said.of) });
      }}
    >
      {dropped.doubt && (
        <Remark tone="warning" live={false}>
          {dropped.doubt}
        </Remark>
      )}
      <Box sx={{ color: "text.secondary", fontSize: "0.88rem" }}>
        {many(dropped.files, "file")}, {bytes(dropped.unpacked)} unpacked. {kind?.notes.join(" ")} Say what it is, and
        it becomes one of {pack.crew}'s own builds, for this crew alone.
      </Box>
      {dropped.own.length > 0 && (
        <Pick
          label="Is it a newer build of one of yours?"
          value={said.of ?? ""}
          options={[
            { value: "", name: "no, it is new" },
            ...dropped.own.map((one) => ({ value: one.mod, name: `${one.name}, now ${one.version}` })),
          ]}
          onChange={(of) => say({ of })}
        />
      )}
      <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: { xs: "1fr", sm: "2fr 1fr 1fr" } }}>
        <TextField label="Name" required {...field("name")} />
        <TextField label="Version" required placeholder="1.0" {...field("version")} />
        <Pick
          label="Kind"
          value={said.kind}
          options={[
            ...(said.kind ? [] : [{ value: "", name: "choose" }]),
            ...fitting.map((one) => ({ value: one.kind, name: one.kind })),
          ]}
          onChange={(value) => say({ kind: value, root: null })}
        />
        <Pick
          label="Made for"
          value={said.games ?? "*"}
          options={[
            { value: `=${base.game_version}`, name: `${base.game_name} ${base.game_label} only` },
            { value: `>=${base.game_version}`, name: `${base.game_label} and newer` },
            { value: "*", name: "every version of the game" },
          ]}
          onChange={(games) => say({ games })}
        />
        {base.loader ? (
          <Pick
            label="Loader"
            value={said.loader ?? ""}
            options={[
              { value: base.loader, name: base.loader_name },
              { value: "", name: "any" },
            ]}
            onChange={(loader) => say({ loader })}
          />
        ) : (
          <span />
        )}
        <Pick
          label="Belongs to"
          value={said.side ?? "both"}
          options={named(SIDES)}
          onChange={(side) => say({ side: side as Said["side"] })}
        />
      </Box>
      {ask && kind && <Root dropped={dropped} kind={kind} root={said.root ?? null} choose={(root) => say({ root })} />}
      <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: { xs: "1fr", sm: "1fr 1fr" } }}>
        <Pick
          label="Reach"
          value={said.reach ?? "crew"}
          options={named(REACHES)}
          onChange={(reach) => say({ reach: reach as Said["reach"] })}
        />
        <TextField label="In one sentence" {...field("summary")} />
        {!said.of && (
          <>
            <TextField
              label="Licence, as its author names it"
              placeholder="MIT"
              {...field("licence")}
              slotProps={{ htmlInput: { list: "licences" } }}
            />
            <datalist id="licences">
              {LICENCES.map((one) => (
                <option key={one} value={one} />
              ))}
            </datalist>
          </>
        )}
        <TextField label="Its page" type="url" required={!said.of && !mayCarry} {...field("page")} />
      </Box>
      {!said.of && (
        <Box sx={{ fontSize: "0.88rem", minHeight: 40 }} aria-live="polite">
          {licence?.sentence}{" "}
          {mayCarry
            ? "The file is kept here, and members get it with the pack."
            : "The file is not kept here: it becomes an errand for each member, recognised by its hash."}
        </Box>
      )}
      <TextField
        label="Needs: one mod a line, with a range if it matters"
        placeholder="weir-core >=1.3"
        multiline
        minRows={1}
        maxRows={4}
        value={said.needs}
        onChange={(event) => say({ needs: event.target.value })}
      />
      <TextField
        label="Changes of the game, by name, one a line"
        placeholder="economy.tolls"
        helperText="“progress” for rewards and what is earned: worlds played with it are kept apart."
        multiline
        minRows={1}
        maxRows={4}
        value={said.touches}
        onChange={(event) => say({ touches: event.target.value })}
      />
      <RefusalRemark error={send.error} />
      <Box>
        <Button type="submit" variant="contained" disabled={send.isPending || !said.kind || (ask && said.root == null)}>
          {said.of ? "Keep it as a newer build" : "Make it our own, and add it"}
        </Button>
        <Box component="span" role="status" sx={{ ml: 1.5, fontSize: "0.88rem" }}>
          {read !== null && `The site is looking through its files: ${Math.round(read * 100)} %`}
        </Box>
      </Box>
    </Box>
  );
}

/** The archive's tree, of which the folder is chosen whose content is laid down. */
function Root(props: {
  dropped: Shape["DroppedOut"];
  kind: Shape["KindOut"];
  root: string | null;
  choose: (root: string) => void;
}) {
  const { dropped, kind } = props;
  const folders = new Map(dropped.folders.map((one) => [one.path, one]));
  return (
    <Box component="fieldset" sx={{ border: 1, borderColor: "divider", borderRadius: 1, p: 1, m: 0 }}>
      <legend>
        Which folder is laid down{kind.marker && `: those that hold a ${kind.marker}`}? What lies beside it is left out.
      </legend>
      <RadioGroup
        aria-label="Which folder is laid down"
        value={props.root ?? "?"}
        onChange={(_, root) => props.choose(root)}
        sx={{ maxHeight: 200, overflow: "auto", flexWrap: "nowrap" }}
      >
        {kind.roots.map((root) => {
          const folder = folders.get(root);
          return (
            <FormControlLabel
              key={root}
              value={root}
              control={<Radio size="small" sx={{ p: 0.5 }} />}
              slotProps={{ typography: { variant: "body2" } }}
              sx={{ ml: root ? root.split("/").length * 1.5 : 0 }}
              label={
                <>
                  <span style={{ fontFamily: mono }}>
                    {root ? `${root.split("/").at(-1)}/` : "everything, from the top"}
                  </span>{" "}
                  {folder
                    ? `${many(folder.files, "file")}, ${bytes(folder.size)}`
                    : `${many(dropped.files, "file")}, ${bytes(dropped.unpacked)}`}
                </>
              }
            />
          );
        })}
      </RadioGroup>
    </Box>
  );
}
