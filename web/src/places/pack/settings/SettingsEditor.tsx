// The editor of a settings file: its format's colours, and the place of the key in hand marked. Loaded with the first
// file that is opened.
import { HighlightStyle, StreamLanguage, type StreamParser, syntaxHighlighting } from "@codemirror/language";
import { json } from "@codemirror/legacy-modes/mode/javascript";
import { properties } from "@codemirror/legacy-modes/mode/properties";
import { toml } from "@codemirror/legacy-modes/mode/toml";
import { xml } from "@codemirror/legacy-modes/mode/xml";
import { yaml } from "@codemirror/legacy-modes/mode/yaml";
import { StateEffect, StateField } from "@codemirror/state";
import { Decoration, EditorView } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { useCallback, useMemo } from "react";
import TextEditor from "../check/TextEditor";

const MODES: Record<string, StreamParser<unknown>> = {
  toml: toml as StreamParser<unknown>,
  ini: properties as StreamParser<unknown>,
  cfg: properties as StreamParser<unknown>,
  properties: properties as StreamParser<unknown>,
  json: json as StreamParser<unknown>,
  jsonc: json as StreamParser<unknown>,
  json5: json as StreamParser<unknown>,
  yaml: yaml as StreamParser<unknown>,
  yml: yaml as StreamParser<unknown>,
  xml: xml as StreamParser<unknown>,
};

const colour = (name: string) => `var(--mui-palette-${name})`;

const COLOURS = HighlightStyle.define([
  { tag: tags.comment, color: colour("text-secondary"), fontStyle: "italic" },
  { tag: [tags.string, tags.attributeValue], color: colour("info-main") },
  { tag: [tags.number, tags.bool, tags.atom, tags.null], color: colour("warning-main") },
  {
    tag: [tags.propertyName, tags.attributeName, tags.tagName, tags.definition(tags.name)],
    color: colour("primary-main"),
  },
  { tag: [tags.heading, tags.keyword, tags.typeName], color: colour("primary-main"), fontWeight: "600" },
]);

const MARK = Decoration.mark({ attributes: { style: `outline: 2px solid ${colour("primary-main")}` } });

interface Props {
  label: string;
  path: string;
  text: string;
  /** Where the value of the key in hand stands. */
  marked: [number, number] | null;
  readOnly: boolean;
  changed: (text: string) => void;
}

export default function SettingsEditor({ label, path, text, marked, readOnly, changed }: Props) {
  const [start, end] = marked ?? [0, 0];
  const more = useMemo(() => {
    const mode = MODES[path.split(".").at(-1)?.toLowerCase() ?? ""];
    return [mode ? StreamLanguage.define(mode) : [], syntaxHighlighting(COLOURS)];
  }, [path]);
  const opened = useCallback((view: EditorView) => end > start && mark(view, text, start, end), [text, start, end]);
  return <TextEditor label={label} text={text} readOnly={readOnly} changed={changed} more={more} opened={opened} />;
}

/** The document counts a line end as one letter, the file may have two. */
function mark(view: EditorView, text: string, start: number, end: number) {
  const at = (place: number) => place - (text.slice(0, place).split("\r\n").length - 1);
  const [from, to] = [at(start), at(end)];
  view.dispatch({
    effects: [
      EditorView.scrollIntoView(from, { y: "center" }),
      // Kept with the text: it moves as one types before it.
      appended(from, to),
    ],
  });
}

function appended(from: number, to: number) {
  const field = StateField.define({
    create: () => Decoration.set([MARK.range(from, to)]),
    update: (marks, change) => marks.map(change.changes),
    provide: (one) => EditorView.decorations.from(one),
  });
  return StateEffect.appendConfig.of(field);
}
