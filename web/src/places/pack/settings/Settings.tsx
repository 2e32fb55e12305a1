// Settings: every key of the pack in one table, found by what is said of it, set where it stands; beside it the one in
// hand, or its whole file as text. Each change is an edit like any other, and is undone like one.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useEffect, useMemo, useRef, useState } from "react";
import { useParams, useSearchParams } from "react-router";
import type { Shape } from "../../../api/client";
import { useDraft, usePack } from "../../../api/queries";
import { type Asked, type Plain, type Setting, useSettings } from "../../../api/settings";
import { useKeys } from "../../../parts/keys";
import { Empty, Loaded } from "../../../parts/notices";
import { Pick } from "../../../parts/Pick";
import { many } from "../../../parts/words";
import { LastEdit } from "../LastEdit";
import { useEditing } from "../useEditing";
import { Detail } from "./Detail";
import { FileText } from "./FileText";
import { Many } from "./Many";
import { Sets } from "./Sets";
import { placeOf, Table } from "./Table";

const ONLY: Shape["Only"][] = [
  "set by the pack",
  "differs from default",
  "enforced",
  "new since the last release",
  "players set otherwise",
  "off by default",
  "value not allowed",
];

const REST = 120;

export default function Settings() {
  const { packId = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const asked: Asked = {
    words: search.get("words") ?? "",
    mod: search.get("mod") ?? "",
    only: (search.get("only") ?? "") as Asked["only"],
    set: search.get("set") ?? "",
  };
  const ask = (said: Partial<Asked>) =>
    setSearch(
      Object.fromEntries(Object.entries({ ...asked, ...said }).filter(([, value]) => value !== "")) as Record<
        string,
        string
      >,
      { replace: true },
    );
  const draft = useDraft(packId).data;
  const may = usePack(packId).data?.role !== "member";
  const editing = useEditing(packId);
  const found = useSettings(packId, draft?.revision ?? -1, asked);
  const first = found.data?.pages[0];
  const rows = useMemo(() => found.data?.pages.flatMap((page) => page.rows) ?? [], [found.data]);
  const [opened, setOpened] = useState<Setting | null>(null);
  const [asText, setAsText] = useState(false);
  const [chosen, setChosen] = useState<Chosen>(new Map());
  const box = useRef<HTMLInputElement>(null);
  useKeys("Settings", [
    { key: "/", does: "search the settings", run: () => box.current?.focus() },
    { key: "u", does: "undo", run: () => editing.undo?.() },
  ]);
  const inHand = opened && (rows.find((row) => placeOf(row) === placeOf(opened)) ?? opened);
  const set = (one: Setting, to: { value: Plain } | { text: string }) =>
    editing.edit({
      do: "set",
      settings: [{ path: one.path, key: one.key, ...to }],
      set: one.to?.in_hand ? one.to.set : asked.set,
    });
  const reset = (one: Setting) =>
    editing.edit({ do: "reset", settings: [{ path: one.path, key: one.key }], set: one.to?.set });
  return (
    <Box sx={{ display: "flex", flexDirection: "column", height: { md: "100%" }, minHeight: 520 }}>
      <Head
        asked={asked}
        ask={ask}
        first={first}
        box={box}
        editing={editing}
        chooseAll={
          may && rows.length > 0 && rows.length === first?.total ? () => setChosen(withAll(chosen, rows)) : null
        }
      />
      <LastEdit editing={editing} />
      <Box
        sx={{
          flex: 1,
          minHeight: 0,
          display: "grid",
          gridTemplateColumns: {
            xs: "minmax(0, 1fr)",
            md: `minmax(0, 1fr) ${asText && inHand ? "minmax(0, 0.9fr)" : "400px"}`,
          },
          borderTop: 1,
          borderColor: "divider",
        }}
      >
        <Box sx={{ display: "flex", flexDirection: "column", minHeight: { xs: 480, md: 0 }, minWidth: 0 }}>
          {chosen.size > 0 && (
            <Many
              rows={rows}
              chosen={chosen}
              sets={first?.sets ?? []}
              editing={editing}
              clear={() => setChosen(new Map())}
            />
          )}
          <Loaded query={found} rows={10}>
            {() =>
              rows.length ? (
                <Table
                  rows={rows}
                  mods={first?.mods ?? []}
                  total={first?.total ?? 0}
                  may={may}
                  chosen={chosen}
                  opened={opened ? placeOf(opened) : ""}
                  more={found.hasNextPage && !found.isFetchingNextPage ? () => found.fetchNextPage() : null}
                  choose={(one, on) => setChosen(on ? withAll(chosen, [one]) : without(chosen, placeOf(one)))}
                  open={(one) => setOpened(one)}
                  set={set}
                  reset={reset}
                />
              ) : (
                <Nothing first={first} asked={asked} ask={ask} />
              )
            }
          </Loaded>
        </Box>
        <Box
          role="region"
          aria-label="In hand"
          tabIndex={0}
          sx={{ borderLeft: { md: 1 }, borderColor: { md: "divider" }, p: 2, overflow: "auto", minWidth: 0 }}
        >
          {inHand && asText ? (
            <FileText
              packId={packId}
              revision={draft?.revision ?? 0}
              one={inHand}
              may={may}
              editing={editing}
              close={() => setAsText(false)}
            />
          ) : inHand ? (
            <Detail
              key={placeOf(inHand)}
              packId={packId}
              one={inHand}
              sets={first?.sets ?? []}
              may={may}
              editing={editing}
              asText={() => setAsText(true)}
            />
          ) : (
            <Sets packId={packId} first={first} may={may} editing={editing} ask={ask} />
          )}
          {inHand && !asText && (
            <Button size="small" sx={{ mt: 1.5 }} onClick={() => setOpened(null)}>
              Sets and what is not read
            </Button>
          )}
        </Box>
      </Box>
    </Box>
  );
}

type Chosen = ReadonlyMap<string, Setting>;

const withAll = (chosen: Chosen, those: Setting[]): Chosen =>
  new Map([...chosen, ...those.map((one) => [placeOf(one), one] as const)]);

const without = (chosen: Chosen, place: string): Chosen => new Map([...chosen].filter(([one]) => one !== place));

interface HeadProps {
  asked: Asked;
  ask: (said: Partial<Asked>) => void;
  first: Shape["SettingsOut"] | undefined;
  box: React.RefObject<HTMLInputElement | null>;
  editing: ReturnType<typeof useEditing>;
  /** Null where not all that was found is shown: a long table is narrowed first. */
  chooseAll: (() => void) | null;
}

function Head({ asked, ask, first, box, editing, chooseAll }: HeadProps) {
  const [words, setWords] = useState(asked.words);
  const say = useRef(ask);
  say.current = ask;
  useEffect(() => {
    const rests = setTimeout(() => say.current({ words }), REST);
    return () => clearTimeout(rests);
  }, [words]);
  return (
    <Box sx={{ display: "flex", gap: 1, px: 1.5, pt: 1.25, flexWrap: "wrap", alignItems: "center" }}>
      <TextField
        inputRef={box}
        label="Find a setting"
        placeholder="fog, 0.35, off by default"
        value={words}
        onChange={(event) => setWords(event.target.value)}
        sx={{ flex: "1 1 240px", maxWidth: 420 }}
      />
      <Pick
        label="Mod"
        value={asked.mod}
        options={[
          { value: "", name: "every mod" },
          ...(first?.mods ?? []).map((one) => ({ value: one.mod, name: `${one.name} (${one.keys})` })),
          ...(asked.mod && !first?.mods.some((one) => one.mod === asked.mod)
            ? [{ value: asked.mod, name: asked.mod }]
            : []),
        ]}
        onChange={(mod) => ask({ mod })}
        sx={{ width: 190 }}
      />
      <Pick
        label="Only"
        value={asked.only}
        options={[{ value: "", name: "all of them" }, ...ONLY.map((one) => ({ value: one, name: one }))]}
        onChange={(only) => ask({ only })}
        sx={{ width: 190 }}
      />
      {!!first?.sets.length && (
        <Pick
          label="Set"
          value={asked.set}
          options={[
            { value: "", name: "any, or none" },
            ...first.sets.map((one) => ({ value: one.id, name: one.name })),
          ]}
          onChange={(set) => ask({ set })}
          sx={{ width: 190 }}
        />
      )}
      <Box role="status" sx={{ fontSize: "0.88rem", color: "text.secondary", minWidth: 150 }}>
        {first &&
          (first.total === first.all
            ? `${many(first.all, "setting")} in ${many(first.files, "file")}`
            : `${first.total} of ${many(first.all, "setting")}`)}
        {first?.reading && ", reading files …"}
      </Box>
      <Box sx={{ ml: "auto", display: "flex", gap: 0.5 }}>
        <Button size="small" disabled={!chooseAll} onClick={() => chooseAll?.()}>
          Choose all found
        </Button>
        <Button size="small" disabled={!editing.undo} onClick={() => editing.undo?.()}>
          Undo
        </Button>
        <Button size="small" disabled={!editing.redo} onClick={() => editing.redo?.()}>
          Do again
        </Button>
      </Box>
    </Box>
  );
}

function Nothing({ first, asked, ask }: Pick<HeadProps, "asked" | "ask" | "first">) {
  if (first?.all)
    return (
      <Empty
        title="No setting is like that"
        action={
          <Button variant="outlined" onClick={() => ask({ words: "", mod: "", only: "", set: "" })}>
            Show all {first.all}
          </Button>
        }
      >
        Names, descriptions and values are searched, every word of “{asked.words}” for itself.
      </Empty>
    );
  return (
    <Empty title={first?.reading ? "The files are being read" : "No settings yet"}>
      {first?.reading
        ? "The settings of the pack’s builds stand here in a minute."
        : "Add mods in Assemble: what their builds can be set to stands here, with what is said of it."}
    </Empty>
  );
}
