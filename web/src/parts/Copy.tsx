// Copies a text, and says that it did.
import Button from "@mui/material/Button";
import { useState } from "react";

export function Copy({ text, name = "Copy" }: { text: string; name?: string }) {
  const [done, setDone] = useState(false);
  return (
    <Button
      size="small"
      aria-live="polite"
      sx={{ minWidth: 72 }}
      onClick={async () => {
        await navigator.clipboard?.writeText(text);
        setDone(true);
        setTimeout(() => setDone(false), 2000);
      }}
    >
      {done ? "Copied" : name}
    </Button>
  );
}
