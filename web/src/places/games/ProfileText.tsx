// A profile as its text, with line numbers; lines of which something is said are marked.
import Box from "@mui/material/Box";
import type { Shape } from "../../api/client";
import { mono } from "../../theme";

const LINE = 20;

export function ProfileText(props: { text: string; faults: Shape["FaultOut"][]; write: (text: string) => void }) {
  const lines = props.text.split("\n");
  const wrong = new Set(props.faults.map((one) => one.line));
  const type = { fontFamily: mono, fontSize: "13px", lineHeight: `${LINE}px` };
  return (
    <Box
      sx={{
        display: "flex",
        border: 1,
        borderColor: "divider",
        bgcolor: "background.paper",
        maxHeight: 620,
        overflow: "auto",
      }}
      // It scrolls as one: the numbers stay beside their lines.
      tabIndex={-1}
    >
      <Box aria-hidden sx={{ ...type, textAlign: "right", color: "text.secondary", px: 1, py: 1, userSelect: "none" }}>
        {lines.map((_, at) => (
          <Box
            // biome-ignore lint/suspicious/noArrayIndexKey: a line's number is its identity
            key={at}
            sx={wrong.has(at + 1) ? { color: "error.main", fontWeight: 700 } : undefined}
          >
            {wrong.has(at + 1) ? "▬ " : ""}
            {at + 1}
          </Box>
        ))}
      </Box>
      <Box
        component="textarea"
        aria-label="The profile as text"
        spellCheck={false}
        value={props.text}
        onChange={(event: React.ChangeEvent<HTMLTextAreaElement>) => props.write(event.target.value)}
        sx={{
          ...type,
          flex: 1,
          minWidth: 420,
          height: lines.length * LINE + 40,
          border: 0,
          borderLeft: 1,
          borderColor: "divider",
          bgcolor: "transparent",
          color: "text.primary",
          p: 1,
          resize: "none",
          whiteSpace: "pre",
          overflow: "hidden",
        }}
      />
    </Box>
  );
}
