// A text edited in place. Loaded with the first text that is opened.
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { EditorState, type Extension } from "@codemirror/state";
import { drawSelection, EditorView, highlightActiveLine, keymap, lineNumbers } from "@codemirror/view";
import { useEffect, useRef } from "react";
import { mono } from "../../../theme";

interface Props {
  label: string;
  text: string;
  readOnly: boolean;
  changed: (text: string) => void;
  /** What one kind of text has beyond that; one and the same object as long as nothing of it changes. */
  more?: Extension;
  /** Likewise: what is done with an editor that was made anew. */
  opened?: (view: EditorView) => void;
}

const LOOK = EditorView.theme({
  "&": { fontSize: "13px", border: "1px solid var(--mui-palette-divider)", maxHeight: "480px" },
  "&.cm-focused": { outline: "2px solid var(--mui-palette-primary-main)" },
  ".cm-scroller": { fontFamily: mono, overflow: "auto" },
  ".cm-content": { caretColor: "var(--mui-palette-text-primary)", minHeight: "180px" },
  ".cm-gutters": {
    backgroundColor: "transparent",
    color: "var(--mui-palette-text-secondary)",
    borderRight: "1px solid var(--mui-palette-divider)",
  },
  ".cm-activeLine": { backgroundColor: "transparent" },
  ".cm-cursor": { borderLeftColor: "var(--mui-palette-text-primary)" },
});

const basics = (label: string, readOnly: boolean) => [
  lineNumbers(),
  history(),
  drawSelection(),
  highlightActiveLine(),
  // Tab leaves the editor, as everywhere: nobody is caught in it.
  keymap.of([...defaultKeymap, ...historyKeymap]),
  EditorState.readOnly.of(readOnly),
  EditorView.contentAttributes.of({ "aria-label": label, tabindex: "0" }),
  LOOK,
];

export default function TextEditor({ label, text, readOnly, changed, more, opened }: Props) {
  const place = useRef<HTMLDivElement>(null);
  const tell = useRef(changed);
  tell.current = changed;
  useEffect(() => {
    if (!place.current) return;
    const view = new EditorView({
      parent: place.current,
      state: EditorState.create({
        doc: text,
        extensions: [
          basics(label, readOnly),
          // Line ends stay as the file has them, or every line would count as changed.
          EditorState.lineSeparator.of(text.includes("\r\n") ? "\r\n" : "\n"),
          more ?? [],
          EditorView.updateListener.of((update) => update.docChanged && tell.current(update.state.sliceDoc())),
        ],
      }),
    });
    opened?.(view);
    return () => view.destroy();
  }, [text, label, readOnly, more, opened]);
  return <div ref={place} />;
}
