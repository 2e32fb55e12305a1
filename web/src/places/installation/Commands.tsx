// The commands for a machine of one's own: pairing it, and what one uses afterwards.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Fragment, useState } from "react";
import { api, type Shape, told } from "../../api/client";
import { useChange } from "../../api/queries";
import { Copy } from "../../parts/Copy";
import { RefusalRemark } from "../../parts/notices";
import { bytes } from "../../parts/words";
import type { Page } from "./asking";

/** For a machine of one's own: the pairing command, made on request and shown once, then the everyday commands. */
export function Commands({ one }: { one: Page }) {
  const [shown, setShown] = useState<Shape["PairingOut"] | null>(null);
  const make = useChange(
    () =>
      told(api.POST("/api/installations/{installation_id}/pairing", { params: { path: { installation_id: one.id } } })),
    ["installation", one.id],
  );
  const paired = one.paired && !shown;
  const until = shown ? new Date(shown.until).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" }) : "";
  return (
    <Box sx={{ display: "grid", gap: 1.5 }}>
      {paired ? (
        <>
          <Typography variant="body2">On that machine, in the installation's folder:</Typography>
          <Command text="convoy watch" what="Keep reporting, and do what you press here" />
          <Command text="convoy sync" what="Bring it to the release that it follows" />
          <Command text="convoy status" what="Say where it stands, and report it" />
          <Command text="convoy verify" what="Hash every file anew" />
        </>
      ) : (
        <Typography variant="body2">
          Pair the machine where you play with one command in its terminal. It makes a folder of its own and touches
          nothing else.
        </Typography>
      )}
      {shown && (
        <>
          <GetAgent shown={shown} />
          <Command
            text={shown.command}
            what={`Make the folder and pair it: once, until ${until}. With --game FOLDER your game is copied into it`}
          />
          <Command text={`convoy sync --folder ${shown.command.split(" ").at(-1)}`} what="Install the pack" />
          {one.paired && (
            <Typography variant="caption">
              This page has heard from the machine. For a folder that follows this pack already, and that the site no
              longer knows, add <code>--again</code>: everything in it stays.
            </Typography>
          )}
        </>
      )}
      <RefusalRemark error={make.error} />
      {!shown && (
        <Box>
          <Button
            variant={paired ? "text" : "contained"}
            disabled={make.isPending}
            onClick={() => make.mutate(undefined, { onSuccess: setShown })}
          >
            {paired ? "Pair another folder instead" : "Show the pairing command"}
          </Button>
        </Box>
      )}
    </Box>
  );
}

function Command({ text, what }: { text: string; what: string }) {
  return (
    <Box>
      <Typography variant="caption">{what}</Typography>
      <Box
        sx={{
          display: "flex",
          alignItems: "center",
          gap: 1,
          border: 1,
          borderColor: "divider",
          bgcolor: "background.default",
          pl: 1,
        }}
      >
        <Box component="code" sx={{ flex: 1, minWidth: 0, py: 0.75, "& span": { display: "inline-block" } }}>
          {[...text.matchAll(/\S+/g)].map(({ 0: word, index }) => (
            // Whole words: a line that ends within “--key” is read as something else.
            <Fragment key={index}>
              <Box component="span" sx={{ maxWidth: "100%", overflowWrap: "anywhere" }}>
                {word}
              </Box>{" "}
            </Fragment>
          ))}
        </Box>
        <Copy text={text} />
      </Box>
    </Box>
  );
}

/** How the agent gets onto this visitor's machine: as one file for its system, where the site has one. */
function GetAgent({ shown }: { shown: Shape["PairingOut"] }) {
  const system = systemHere();
  const file = shown.files.find((one) => one.system.startsWith(system.key));
  if (!file) return shown.install ? <Command text={shown.install} what={WITH_PYTHON} /> : null;
  return (
    <Box sx={{ display: "grid", gap: 1 }}>
      <Typography variant="body2">
        <strong>1.</strong> Get the agent, once for all packs: one file for {system.name}, nothing else to install.
      </Typography>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", flexWrap: "wrap" }}>
        <Button variant="outlined" href={file.address} download={system.file}>
          Get it for {system.name}, {bytes(file.size)}
        </Button>
        <Typography variant="caption" sx={{ overflowWrap: "anywhere" }}>
          SHA-256 <code>{file.sha256.slice(0, 16)}…</code>
        </Typography>
      </Box>
      <Typography variant="body2">
        <strong>2.</strong> {system.open}
      </Typography>
      {system.make && <Command text={system.make} what="Let it run, and be found from everywhere" />}
      <Typography variant="body2">
        <strong>3.</strong> Copy the next two lines there, one after the other, each with Enter.
      </Typography>
      {shown.install && (
        <Box component="details" sx={{ fontSize: "0.875rem" }}>
          <summary>There is a Python on this machine</summary>
          <Command text={shown.install} what={WITH_PYTHON} />
        </Box>
      )}
    </Box>
  );
}

const WITH_PYTHON = "Get the agent, once for all packs; pip does it, too";

/** By what the browser says of itself. `key` begins the names of the agent's files for that system. */
function systemHere() {
  const said = navigator.userAgent;
  if (said.includes("Windows"))
    return {
      key: "windows",
      name: "Windows",
      file: "convoy.exe",
      open: "Open the folder where it lies now, click into the line above that shows where you are, type cmd and press Enter: a black window opens.",
      make: "",
    };
  if (said.includes("Mac"))
    return {
      key: "macos",
      name: "macOS",
      file: "convoy",
      open: "Open “Terminal” (in Programs, Utilities): a window in which one types.",
      make: "chmod +x ~/Downloads/convoy && sudo mv ~/Downloads/convoy /usr/local/bin/",
    };
  return {
    key: "linux",
    name: "Linux",
    file: "convoy",
    open: "Open a terminal: a window in which one types.",
    make: "mkdir -p ~/.local/bin && install ~/Downloads/convoy ~/.local/bin/ && export PATH=$HOME/.local/bin:$PATH",
  };
}
