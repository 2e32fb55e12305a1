// Assemble: finder, manifest and inspector side by side, a strip below that adds up.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Drawer from "@mui/material/Drawer";
import type { Theme } from "@mui/material/styles";
import useMediaQuery from "@mui/material/useMediaQuery";
import { useRef, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import type { Shape } from "../../api/client";
import { useDraft, useFindings, usePack } from "../../api/queries";
import { useKeys } from "../../parts/keys";
import { Loaded } from "../../parts/notices";
import { bytes, gigabytes, many } from "../../parts/words";
import { BaseDialog } from "./BaseDialog";
import { BringIn, DropPlace, type Given } from "./BringIn";
import { CollectionsDialog } from "./collections/Collections";
import { SuitsDialog } from "./collections/SuitsDialog";
import { DemandDialog } from "./DemandDialog";
import { DroppedFiles } from "./DroppedFiles";
import { FolderDialog } from "./FolderDialog";
import { Finder } from "./finder/Finder";
import { HistoryDialog } from "./History";
import { Inspector } from "./Inspector";
import { LastEdit } from "./LastEdit";
import { Manifest } from "./manifest/Manifest";
import { ManyBuilds } from "./own/ManyBuilds";
import { PasteTray } from "./PasteTray";
import { RehearsalDialog } from "./Rehearsal";
import { UpdatesDialog } from "./Updates";
import { type Editing, useEditing } from "./useEditing";

export default function Assemble() {
  const { packId = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const pack = usePack(packId).data;
  const draft = useDraft(packId);
  const editing = useEditing(packId);
  const [folded, setFolded] = useState(false);
  const [open, setOpen] = useState<"base" | "updates" | "history" | "demand" | "collections" | "suits" | null>(
    search.has("updates") ? "updates" : null,
  );
  const [pasting, setPasting] = useState(false);
  const [given, setGiven] = useState<Given | null>(null);
  const asking = useRef((_: string) => {});
  const inHand = search.get("mod") ?? "";
  const may = pack?.role !== "member";
  const needs = search.get("needs");
  const take = (mod: string) => setSearch({ ...(mod && { mod }), ...(needs && { needs }) }, { replace: true });

  useKeys("Assemble", [
    { key: "/", does: "search the catalogue", run: () => document.getElementById("finder-text")?.focus() },
    { key: "m", does: "to the manifest", run: () => document.getElementById("manifest")?.focus() },
    { key: "f", does: "fold or unfold the finder", run: () => setFolded(!folded) },
    { key: "b", does: "change the base", run: () => may && setOpen("base") },
    { key: "c", does: "collections under the pack", run: () => !pack?.suits && setOpen("collections") },
    { key: "u", does: "see newer builds that fit", run: () => may && setOpen("updates") },
    { key: "p", does: "paste a list of links or names", run: () => may && setPasting(true) },
    { key: "e", does: "edits of this draft", run: () => setOpen("history") },
    { key: "mod+z", does: "undo your last edit", run: () => editing.undo?.() },
    { key: "mod+y", does: "do it again", run: () => editing.redo?.() },
    { key: "Escape", does: "put away the mod in hand", run: () => take("") },
  ]);

  if (!pack) return null;
  return (
    <DropPlace may={may} give={setGiven}>
      <Box sx={{ display: "flex", flex: 1, minHeight: 0, flexDirection: { xs: "column", md: "row" } }}>
        <Pane width={pasting ? 330 : folded ? 40 : 310} name="Finder">
          {pasting ? (
            <PasteTray packId={packId} editing={editing} close={() => setPasting(false)} />
          ) : folded ? (
            <Button onClick={() => setFolded(false)} sx={{ writingMode: "vertical-rl", minWidth: 0, height: 140 }}>
              Finder
            </Button>
          ) : (
            <Finder
              packId={packId}
              base={`${pack.base.game_label}${pack.base.loader && `, ${pack.base.loader_name}`}`}
              lines={draft.data?.lines ?? []}
              inHand={inHand}
              take={take}
              editing={editing}
              may={may}
              fold={() => setFolded(true)}
              needs={search.get("needs") ?? ""}
              clearNeeds={() => setSearch(inHand ? { mod: inHand } : {}, { replace: true })}
            />
          )}
        </Pane>
        <Box
          component="section"
          aria-label="Manifest"
          sx={{ flex: 1, minWidth: 0, display: "flex", flexDirection: "column" }}
        >
          <Heading
            pack={pack}
            may={may}
            editing={editing}
            open={setOpen}
            paste={() => setPasting(true)}
            give={setGiven}
          />
          <LastEdit editing={editing} />
          <Loaded query={draft} rows={10}>
            {(data) => (
              <Manifest
                lines={data.lines}
                collections={data.collections}
                inHand={inHand}
                take={take}
                editing={editing}
                may={may}
                asking={asking}
                openCollections={() => setOpen("collections")}
              />
            )}
          </Loaded>
        </Box>
        {inHand && (
          <InspectorPlace put={() => take("")}>
            <Inspector
              packId={packId}
              slug={inHand}
              lines={draft.data?.lines ?? []}
              collections={draft.data?.collections ?? []}
              editing={editing}
              may={may}
              take={take}
              showNeeds={(mod) => setSearch({ mod, needs: mod }, { replace: true })}
            />
          </InspectorPlace>
        )}
      </Box>
      <Strip
        packId={packId}
        ask={(text) => asking.current(text)}
        open={() => setOpen("updates")}
        demand={() => setOpen("demand")}
      />
      {open === "demand" && draft.data && <DemandDialog draft={draft.data} close={() => setOpen(null)} />}
      {open === "base" && <BaseDialog pack={pack} revision={draft.data?.revision ?? 0} close={() => setOpen(null)} />}
      {open === "collections" && draft.data && (
        <CollectionsDialog
          packId={packId}
          collections={draft.data.collections}
          editing={editing}
          may={may}
          close={() => setOpen(null)}
        />
      )}
      {open === "suits" && <SuitsDialog pack={pack} close={() => setOpen(null)} />}
      {open === "updates" && <UpdatesDialog packId={packId} editing={editing} close={() => setOpen(null)} />}
      {open === "history" && <HistoryDialog packId={packId} editing={editing} may={may} close={() => setOpen(null)} />}
      {given?.what === "files" && (
        <DroppedFiles pack={pack} files={given.files} editing={editing} close={() => setGiven(null)} />
      )}
      {given?.what === "many" && <ManyBuilds pack={pack} editing={editing} close={() => setGiven(null)} />}
      {given?.what === "folder" && (
        <FolderDialog packId={packId} given={given.given} editing={editing} close={() => setGiven(null)} />
      )}
      <RehearsalDialog editing={editing} />
    </DropPlace>
  );
}

/** Beside the manifest; on a narrow screen a sheet over it, so that a tapped line shows what it is where one looks. */
function InspectorPlace({ put, children }: { put: () => void; children: React.ReactNode }) {
  const narrow = useMediaQuery((theme: Theme) => theme.breakpoints.down("md"));
  if (!narrow) {
    return (
      <Pane width={320} name="Inspector" right>
        {children}
      </Pane>
    );
  }
  return (
    <Drawer
      anchor="bottom"
      open
      onClose={put}
      slotProps={{ paper: { role: "dialog", "aria-label": "Inspector", sx: { maxHeight: "85vh" } } }}
    >
      {children}
    </Drawer>
  );
}

function Pane({
  width,
  name,
  right,
  children,
}: {
  width: number;
  name: string;
  right?: boolean;
  children: React.ReactNode;
}) {
  return (
    <Box
      component="section"
      aria-label={name}
      tabIndex={right ? 0 : undefined}
      sx={{
        width: { xs: "auto", md: width },
        flex: "none",
        minHeight: 0,
        maxHeight: { xs: 460, md: "none" },
        display: "flex",
        flexDirection: "column",
        borderRight: right ? 0 : 1,
        borderLeft: right ? 1 : 0,
        borderColor: "divider",
        overflow: "auto",
      }}
    >
      {children}
    </Box>
  );
}

function Heading(props: {
  pack: NonNullable<ReturnType<typeof usePack>["data"]>;
  may: boolean;
  editing: Editing;
  open: (what: "base" | "updates" | "history" | "collections" | "suits") => void;
  paste: () => void;
  give: (given: Given) => void;
}) {
  const { base, suits } = props.pack;
  const { undo, redo } = props.editing;
  return (
    <Box
      sx={{ display: "flex", alignItems: "center", flexWrap: "wrap", columnGap: 1.5, px: 1.5, py: 0.5, flex: "none" }}
    >
      <Box
        sx={{
          flex: "0 1 auto",
          minWidth: "min(100%, 13rem)",
          lineHeight: "36px",
          overflow: "hidden",
          textOverflow: "ellipsis",
          whiteSpace: "nowrap",
        }}
      >
        <Box component="span" sx={{ color: "text.secondary" }}>
          {suits ? "Tried on" : "Base"}{" "}
        </Box>
        <strong>
          {base.game_name} {base.game_label}
        </strong>
        {base.loader && `, ${base.loader_name} ${base.loader_version}`}
        {suits && (
          <Box component="span" sx={{ color: "text.secondary" }} title={suits.words}>
            ; suits {suits.words}
          </Box>
        )}
      </Box>
      {props.may && (
        <>
          <Button size="small" onClick={() => props.open("base")} sx={{ flex: "none" }}>
            Change base
          </Button>
          <Button size="small" onClick={() => props.open(suits ? "suits" : "collections")} sx={{ flex: "none" }}>
            {suits ? "What it suits" : "Collections"}
          </Button>
          <Button size="small" component={Link} to={`/packs/${props.pack.id}/lead`} sx={{ flex: "none", minWidth: 0 }}>
            Lead
          </Button>
          <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, ml: "auto" }}>
            <BringIn paste={props.paste} give={props.give} />
            <Button size="small" sx={{ flex: "none" }} onClick={() => props.open("updates")}>
              Newer builds
            </Button>
            <Button
              size="small"
              sx={{ flex: "none", minWidth: 0 }}
              disabled={!undo}
              onClick={() => undo?.()}
              title="Ctrl Z"
            >
              Undo
            </Button>
            <Button
              size="small"
              sx={{ flex: "none", minWidth: 0 }}
              disabled={!redo}
              onClick={() => redo?.()}
              title="Ctrl Y"
            >
              Redo
            </Button>
            <Button size="small" sx={{ flex: "none" }} onClick={() => props.open("history")}>
              Edits
            </Button>
          </Box>
        </>
      )}
    </Box>
  );
}

function counts(draft: Shape["DraftOut"]): string {
  const through = draft.through ? ` + ${draft.through} of collections` : "";
  return `${draft.chosen} chosen${through} + ${draft.brought_in} brought in = ${
    draft.chosen + draft.through + draft.brought_in
  }`;
}

/** The sums; each opens what it counts. */
function Strip({
  packId,
  ask,
  open,
  demand,
}: {
  packId: string;
  ask: (text: string) => void;
  open: () => void;
  demand: () => void;
}) {
  const draft = useDraft(packId).data;
  const findings = useFindings(packId, draft !== undefined).data?.findings.filter((one) => !one.laid_down);
  const newer = draft?.lines.filter((one) => one.newer && !one.held).length ?? 0;
  const parts: [string, (() => void) | string][] = draft
    ? [
        [counts(draft), () => ask("")],
        [`download ${bytes(draft.download)}, ${bytes(draft.demand.disk)} on disk`, demand],
        [`memory ${gigabytes(draft.demand.minimum)} to ${gigabytes(draft.demand.recommended)}`, demand],
        [draft.errands ? `${many(draft.errands, "errand")} for each member` : "no errands", () => ask("errand")],
        [draft.unsettled ? `${draft.unsettled} without a build` : "all lines have a build", () => ask("unsettled")],
        ...(draft.off ? [[`${draft.off} switched off`, () => ask("off")] as [string, () => void]] : []),
        ...(newer ? [[`${newer} with a newer build`, open] as [string, () => void]] : []),
        ...(findings ? [[many(findings.length, "finding"), `/packs/${packId}/check`] as [string, string]] : []),
      ]
    : [];
  return (
    <Box
      component="footer"
      aria-label="Sums"
      sx={{
        display: "flex",
        gap: 1.5,
        px: 1.25,
        minHeight: 34,
        alignItems: "center",
        flex: "none",
        flexWrap: "wrap",
        borderTop: 1,
        borderColor: "divider",
        bgcolor: "background.paper",
      }}
    >
      {parts.map(([text, opens]) => {
        const to = typeof opens === "string" ? { component: Link, to: opens } : { onClick: opens };
        return (
          <Button key={text} size="small" color="inherit" sx={{ py: 0, px: 0.75, fontWeight: 400 }} {...to}>
            {text}
          </Button>
        );
      })}
    </Box>
  );
}
