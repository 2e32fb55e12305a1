// The commands for a machine of one's own: pairing it, and what one uses afterwards.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Fragment, useState } from "react";
import { api, type Shape, told } from "../../api/client";
import { useChange } from "../../api/queries";
import { Copy } from "../../parts/Copy";
import { RefusalRemark } from "../../parts/notices";
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
          {shown.install && <Command text={shown.install} what="Get the agent, once for all packs; pip does it, too" />}
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
