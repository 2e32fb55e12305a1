// Join: paste a code, see what it opens, name the installation. The next page has the pairing command.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, type Shape, told } from "../api/client";
import { useChange, useInstallations, useMachines, useMe, useOpenedCode } from "../api/queries";
import { Emblem } from "../parts/marks";
import { Loaded, RefusalRemark, Remark } from "../parts/notices";
import { Pick } from "../parts/Pick";
import { bytes, many } from "../parts/words";
import { mono } from "../theme";

const CODE_LENGTH = 8;

export default function Join() {
  const { code = "" } = useParams();
  const me = useMe();
  return (
    <Box sx={{ maxWidth: 560, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      <Typography variant="h1" sx={{ mb: 2 }}>
        Join a pack
      </Typography>
      <Loaded query={me}>
        {(who) =>
          who.username ? (
            <Paste given={code} />
          ) : (
            <>
              <Typography sx={{ mb: 2 }}>
                A code opens a pack of somebody's crew. To use it you need an account here.
              </Typography>
              <Box sx={{ display: "flex", gap: 2 }}>
                <Button
                  variant="contained"
                  component={Link}
                  to={`/sign-in?new=1&next=/join/${encodeURIComponent(code)}`}
                >
                  Make an account
                </Button>
                <Button variant="outlined" component={Link} to={`/sign-in?next=/join/${encodeURIComponent(code)}`}>
                  Sign in
                </Button>
              </Box>
            </>
          )
        }
      </Loaded>
    </Box>
  );
}

function Paste({ given }: { given: string }) {
  const [text, setText] = useState(given);
  // Looked up as soon as it is whole; only a whole code can be judged.
  const whole = text.replace(/[\s–-]/g, "").length >= CODE_LENGTH;
  const opened = useOpenedCode(whole ? text.trim() : "");
  return (
    <>
      <TextField
        label="Code"
        autoFocus
        value={text}
        onChange={(event) => setText(event.target.value.toUpperCase())}
        placeholder="K7XM-42QD"
        helperText="Eight letters and digits. Spaces and dashes do not matter; there is no 0, I, L, O or U in it."
        slotProps={{
          htmlInput: { style: { fontFamily: mono, fontSize: "1.4rem", letterSpacing: "0.08em" }, maxLength: 40 },
        }}
      />
      <Box sx={{ mt: 2, minHeight: 280 }}>
        {whole && opened.isError && <RefusalRemark error={opened.error} />}
        {whole && opened.data && !opened.data.is_collection && <Opened opened={opened.data} />}
        {whole && opened.data?.is_collection && <OpenedCollection opened={opened.data} />}
      </Box>
    </>
  );
}

/** A collection is joined beside a pack: on which of one's installations is asked. */
function OpenedCollection({ opened }: { opened: Shape["OpenedCode"] }) {
  const mine = useInstallations();
  const navigate = useNavigate();
  const add = useChange(
    (installation_id: string) =>
      told(
        api.POST("/api/installations/{installation_id}/beside", {
          params: { path: { installation_id } },
          body: { code: opened.code, collection: null },
        }),
      ),
    ["installation"],
    ["me"],
    ["packs"],
  );
  return (
    <Paper variant="outlined" sx={{ p: 2, display: "grid", gap: 2 }}>
      <Shown opened={opened} about={`A collection, beside a pack of yours. By ${opened.crew}`} />
      <Loaded query={mine} rows={1}>
        {(rows) =>
          rows.length ? (
            <Box sx={{ display: "grid", gap: 1, justifyItems: "start" }}>
              {rows.map((one) => (
                <Button
                  key={one.id}
                  variant="outlined"
                  disabled={add.isPending}
                  onClick={() => add.mutate(one.id, { onSuccess: () => navigate(`/installations/${one.id}`) })}
                >
                  Add it to {one.pack} ({one.name})
                </Button>
              ))}
            </Box>
          ) : (
            <Typography variant="body2">
              You have no installation yet. Join a pack first: a collection has no base of its own.
            </Typography>
          )
        }
      </Loaded>
      <RefusalRemark error={add.error} />
    </Paper>
  );
}

function Shown({ opened, about }: { opened: Shape["OpenedCode"]; about: string }) {
  return (
    <>
      <Box sx={{ display: "flex", gap: 1.5 }}>
        <Emblem name={opened.emblem} size={36} />
        <Box>
          <Typography variant="h2">{opened.pack}</Typography>
          <Typography variant="body2" sx={{ color: "text.secondary" }}>
            {about}
          </Typography>
          <Typography variant="body2">
            {opened.release
              ? `Release ${opened.release}: ${many(opened.builds, "mod")}, ${bytes(opened.download)}`
              : "No release is open now; you can join, and install the next one."}
          </Typography>
        </Box>
      </Box>
      {opened.notes && (
        <Typography variant="body2" sx={{ whiteSpace: "pre-wrap" }}>
          {opened.notes}
        </Typography>
      )}
    </>
  );
}

function Opened({ opened }: { opened: Shape["OpenedCode"] }) {
  const machines = useMachines().data ?? [];
  const [name, setName] = useState(opened.pack);
  const [machine, setMachine] = useState<string | null>(null);
  const [side, setSide] = useState<"player" | "server">("player");
  const navigate = useNavigate();
  const where = machine ?? machines[0]?.slug ?? "";
  const join = useChange(
    () => told(api.POST("/api/installations", { body: { code: opened.code, name, side, machine: where } })),
    ["installations"],
    ["me"],
    ["packs"],
  );
  return (
    <Paper
      variant="outlined"
      component="form"
      sx={{ p: 2, display: "grid", gap: 2 }}
      onSubmit={(event) => {
        event.preventDefault();
        join.mutate(undefined, { onSuccess: (made) => navigate(`/installations/${made.id}`) });
      }}
    >
      <Shown opened={opened} about={`${opened.crew}${opened.owner && `, kept by ${opened.owner}`} · ${opened.base}`} />
      {opened.changes_progress.length > 0 && (
        <Remark tone="warning" live={false}>
          {opened.changes_progress.join(", ")} {opened.changes_progress.length > 1 ? "change" : "changes"} progress:
          worlds that are played with this pack are kept apart from others.
        </Remark>
      )}
      <TextField
        label="Name of this installation"
        required
        value={name}
        error={!!join.error?.field("name")}
        helperText={join.error?.field("name") || "So that you can tell it from others of yours."}
        onChange={(event) => setName(event.target.value)}
      />
      <Pick
        label="It is"
        value={side}
        options={[
          { value: "player", name: "for playing" },
          { value: "server", name: "the crew's server" },
        ]}
        onChange={(value) => setSide(value as "player" | "server")}
      />
      {machines.length > 0 && (
        <Pick
          label="Machine"
          value={where}
          options={[
            ...machines.map((one) => ({ value: one.slug, name: `${one.name} (stand-in, ${one.memory_mb / 1024} GB)` })),
            { value: "", name: "a machine of my own, with the agent" },
          ]}
          onChange={setMachine}
        />
      )}
      <RefusalRemark error={join.error?.field("name") ? null : join.error} />
      <Button type="submit" variant="contained" disabled={join.isPending}>
        {opened.already_in_crew ? "Install this pack" : `Join ${opened.crew} and install`}
      </Button>
    </Paper>
  );
}
