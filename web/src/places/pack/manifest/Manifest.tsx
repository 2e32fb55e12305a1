// The manifest: the pack's lines in a dense grid, grouped, sorted and searched as one likes. Only the rows in view are
// drawn. Everything works by keyboard: one row is in hand, any number can be marked.
import Box from "@mui/material/Box";
import TextField from "@mui/material/TextField";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useDeferredValue, useEffect, useRef, useState } from "react";
import { useKeys } from "../../../parts/keys";
import { Empty } from "../../../parts/notices";
import { Bulk } from "./Bulk";
import { HeadingRow, HeadRow, LineRow, ROW, ROWS, rowId, template } from "./LineRow";
import { type Given, MANIFEST_KEYS, useManifest } from "./useManifest";
import { ViewMenu } from "./ViewMenu";

interface Props extends Omit<Given, "asked"> {
  /** Where what is to be searched for can be set from outside. */
  asking: React.RefObject<(text: string) => void>;
  openCollections: () => void;
}

export function Manifest({ asking, openCollections, ...given }: Props) {
  const { lines, inHand, editing, may } = given;
  const scroller = useRef<HTMLDivElement>(null);
  const [asked, ask] = useState("");
  // What is typed shows at once, and the lines follow it.
  const known = useManifest({ ...given, asked: useDeferredValue(asked) });
  useEffect(() => {
    asking.current = ask;
  }, [asking]);
  const { rows, headers, order } = known;
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 8,
  });
  useKeys("Manifest, while it has the focus", MANIFEST_KEYS);
  if (lines.length === 0 && given.collections.length === 0) {
    return (
      <Empty title="The pack is empty">
        Find a mod on the left and add it, or paste a list. What a mod needs comes in with it, in versions that fit, and
        leaves again when nothing needs it any more.
      </Empty>
    );
  }
  // Only rows in view are drawn, and only what is drawn can be pointed at.
  const drawn = virtual.getVirtualItems();
  const isDrawn = drawn.some(({ index }) => {
    const row = rows[index];
    return "line" in row && row.line.mod === inHand;
  });
  const scrollTo = (mod: string) =>
    virtual.scrollToIndex(rows.findIndex((row) => "line" in row && row.line.mod === mod));
  return (
    <>
      <Box
        sx={{ display: "flex", alignItems: "center", gap: 1, px: 1.5, minHeight: 44, flex: "none", flexWrap: "wrap" }}
      >
        <TextField
          id="manifest-search"
          label="Search these lines"
          value={asked}
          onChange={(event) => ask(event.target.value)}
          onKeyDown={(event) => event.key === "ArrowDown" && scroller.current?.focus()}
          sx={{ width: may && known.markedLines.length > 0 ? 150 : 260 }}
        />
        <Box component="span" sx={{ color: "text.secondary", fontSize: "0.85rem" }} aria-live="polite">
          {asked && `${order.length} of ${lines.length}`}
        </Box>
        {may && known.markedLines.length > 0 ? (
          <Bulk marked={known.markedLines} lines={lines} editing={editing} clear={known.unmark} />
        ) : (
          <>
            <Box sx={{ flex: 1 }} />
            <ViewMenu view={known.view} change={known.changeView} />
          </>
        )}
      </Box>
      <Box
        ref={scroller}
        id="manifest"
        role="grid"
        aria-label="Lines of the draft"
        aria-rowcount={rows.length + 1}
        aria-multiselectable
        aria-activedescendant={isDrawn ? rowId(inHand) : undefined}
        tabIndex={0}
        onKeyDown={(event) => event.target === scroller.current && known.pressed(event, scrollTo)}
        style={{ "--columns": template(headers) } as React.CSSProperties}
        sx={{
          ...ROWS,
          flex: 1,
          overflow: "auto",
          minHeight: 200,
          fontSize: "0.86rem",
          "&:focus-visible": { outline: "2px solid", outlineColor: "primary.main", outlineOffset: -2 },
        }}
      >
        <HeadRow headers={headers} />
        <Box role="rowgroup" sx={{ height: virtual.getTotalSize(), position: "relative" }}>
          {drawn.map((item) => {
            const row = rows[item.index];
            const place = { at: item.start, index: item.index + 2 };
            return "heading" in row ? (
              <HeadingRow
                key={item.key}
                text={row.heading}
                collection={row.collection}
                open={openCollections}
                span={headers.length + 1}
                {...place}
              />
            ) : (
              <LineRow
                key={item.key}
                line={row.line}
                headers={headers}
                names={known.names}
                inHand={inHand === row.line.mod}
                marked={known.marked.has(row.line.mod)}
                movable={may && row.line.group === "chosen"}
                before={known.over === row.line.mod}
                does={known.does}
                {...place}
              />
            );
          })}
        </Box>
      </Box>
    </>
  );
}
