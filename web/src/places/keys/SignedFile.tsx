// A file that is taken to where keys are, and brought back signed: the same two buttons wherever it happens.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useId } from "react";
import { sendForm } from "../../api/files";
import { useChange } from "../../api/queries";
import { Copy } from "../../parts/Copy";
import { RefusalRemark } from "../../parts/notices";

interface Props<T> {
  /** Where the file is had by GET, and brought back by POST. */
  address: string;
  take: string;
  bring: string;
  /** What is run between the two. */
  command: string;
  may: boolean;
  about: string[][];
  brought?: (told: T) => void;
}

export function SignedFile<T>({ address, take, bring, command, may, about, brought }: Props<T>) {
  const input = useId();
  const send = useChange((file: File) => sendForm<T>(address, { file }), ...about);
  return (
    <>
      <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap", mt: 1 }}>
        <Button size="small" variant="outlined" href={address} download>
          {take}
        </Button>
        {may && (
          <Button size="small" variant="contained" component="label" htmlFor={input} disabled={send.isPending}>
            {bring}
          </Button>
        )}
        <input
          id={input}
          hidden
          type="file"
          accept=".json,application/json"
          onChange={(event) => {
            const file = event.target.files?.[0];
            event.target.value = "";
            if (file) send.mutate(file, { onSuccess: brought });
          }}
        />
      </Box>
      <Box sx={{ display: "flex", gap: 1, alignItems: "center", mt: 1, minWidth: 0 }}>
        <Box component="code" sx={{ fontSize: "0.85rem", overflowWrap: "anywhere" }}>
          {command}
        </Box>
        <Copy text={command} />
      </Box>
      <RefusalRemark error={send.error} />
    </>
  );
}
