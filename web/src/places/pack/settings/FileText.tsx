// A settings file as text, as the next release would render it. What is changed in it becomes settings key by key;
// what does not travel is told before anything is taken.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { lazy, Suspense, useEffect, useState } from "react";
import type { Shape } from "../../../api/client";
import { type Plain, type Setting, useRetyped, useSettingsText } from "../../../api/settings";
import { Loaded, RefusalRemark, Remark } from "../../../parts/notices";
import { many } from "../../../parts/words";
import type { Editing } from "../useEditing";
import { shown } from "./values";

const SettingsEditor = lazy(() => import("./SettingsEditor"));
const REST = 400;

interface Props {
  packId: string;
  revision: number;
  one: Setting;
  may: boolean;
  editing: Editing;
  close: () => void;
}

export function FileText({ packId, revision, one, may, editing, close }: Props) {
  const text = useSettingsText(packId, revision, one.path);
  return (
    <Box
      component="section"
      aria-label="The file as text"
      sx={{ display: "grid", gridTemplateColumns: "minmax(0, 1fr)", gap: 1, alignContent: "start" }}
    >
      <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
        <Box component="code" sx={{ flex: 1, minWidth: 0, overflowWrap: "anywhere", fontSize: "0.82rem" }}>
          {one.path}
        </Box>
        <Button size="small" onClick={close}>
          Back to the setting
        </Button>
      </Box>
      <Loaded query={text} rows={12}>
        {(file) => <Typed packId={packId} revision={revision} file={file} one={one} may={may} editing={editing} />}
      </Loaded>
    </Box>
  );
}

type TypedProps = Omit<Props, "close"> & { file: Shape["SettingsTextOut"] };

function Typed({ packId, revision, file, one, may, editing }: TypedProps) {
  // What one types into stays while somebody else changes the file: their changes are nobody's loss, ours neither.
  const [begun, setBegun] = useState(file);
  const [text, setText] = useState(file.text);
  const [rested, setRested] = useState<string | null>(null);
  const isTyped = text !== begun.text;
  useEffect(() => {
    if (isTyped) return;
    setBegun(file);
    setText(file.text);
  }, [file, isTyped]);
  useEffect(() => {
    const rests = setTimeout(() => setRested(text === begun.text ? null : text), REST);
    return () => clearTimeout(rests);
  }, [text, begun.text]);
  const retyped = useRetyped(packId, revision, file.path, rested, begun.text);
  const place = begun.places.find((each) => each.key.join("\n") === one.key.join("\n"));
  const told = rested === null ? undefined : retyped.data;
  const take = () => {
    if (!told) return;
    const { sets, resets } = told;
    editing.editThen(
      { kept: () => setText(begun.text) },
      ...(sets.length ? [{ do: "set" as const, settings: sets }] : []),
      ...(resets.length ? [{ do: "reset" as const, settings: resets.map(({ path, key }) => ({ path, key })) }] : []),
    );
  };
  const some = told ? told.sets.length + told.resets.length : 0;
  return (
    <>
      <Suspense fallback={<Box sx={{ height: 420 }} />}>
        <SettingsEditor
          label={`Text of ${file.path}`}
          path={file.path}
          text={begun.text}
          marked={place ? [place.start, place.end] : null}
          readOnly={!may}
          changed={setText}
        />
      </Suspense>
      <Box sx={{ minHeight: 92 }}>
        {rested === null && (
          <Box sx={{ fontSize: "0.85rem", color: "text.secondary" }}>
            As the next release would have it. Change a value here, and it becomes a setting of the pack.
          </Box>
        )}
        {file.text !== begun.text && (
          <Remark tone="info">
            Somebody changed this file meanwhile: what you typed is held against what you began with.
          </Remark>
        )}
        {rested !== null && retyped.error && <RefusalRemark error={retyped.error} />}
        {told && !retyped.error && (
          <Remark tone={told.is_more || told.dropped.length ? "warning" : "info"}>
            {some === 0 && "No value is another one. "}
            {told.sets.map((each) => (
              <div key={each.key.join(".")}>
                sets <code>{each.key.join(".")}</code> to <code>{shown(each.value as Plain)}</code>
              </div>
            ))}
            {told.resets.map((each) => (
              <div key={each.key.join(".")}>
                <code>{each.key.join(".")}</code> as it comes
              </div>
            ))}
            {told.dropped.length > 0 && <div>A key cannot be taken out: {told.dropped.join(", ")} stays.</div>}
            {told.is_more && <div>Comments, order and blanks do not travel: those stay as they are.</div>}
            {some > 0 && (
              <Button variant="outlined" size="small" sx={{ mt: 0.75 }} disabled={editing.pending} onClick={take}>
                Take {many(some, "change")} over
              </Button>
            )}
          </Remark>
        )}
      </Box>
    </>
  );
}
