// Files that only the member can bring: what, from where, how; and a place to drop them. What arrives is recognised.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useRef, useState } from "react";
import { api, type Refused, type Shape, told } from "../../api/client";
import { sendForm, sha256 } from "../../api/files";
import { queryClient } from "../../api/queries";
import { Copy } from "../../parts/Copy";
import { RefusalRemark, Remark } from "../../parts/notices";
import { bytes } from "../../parts/words";
import type { Page } from "./asking";
import { Section } from "./Section";
import { aboutErrands } from "./Standing";

interface Said {
  name: string;
  right: boolean;
  text: string;
}

export function Errands({ one }: { one: Page }) {
  const [said, setSaid] = useState<Said[]>([]);
  const [error, setError] = useState<Refused | null>(null);
  const left = one.errands.length > 0;
  // What was said of the last file stays to be read, though with it nothing is left to bring.
  if (!left && !said.length) return null;
  const take = async (files: File[]) => {
    setError(null);
    for (const file of files) {
      try {
        const found = await judge(one, file);
        setSaid((before) => [found, ...before.filter((each) => each.name !== found.name)]);
      } catch (problem) {
        setError(problem as Refused);
      }
    }
    queryClient.invalidateQueries({ queryKey: ["installation", one.id] });
  };
  return (
    <Section title="To bring by hand" aside={left ? aboutErrands(one) : "nothing is left to bring"}>
      <Box component="ol" sx={{ m: 0, pl: 2.5, display: "grid", gap: 1.25 }}>
        {one.errands.map((each) => (
          <Errand
            key={each.mod}
            errand={each}
            right={said.some((row) => row.right && row.text.startsWith(each.name))}
          />
        ))}
      </Box>
      {left && <Drop one={one} take={take} />}
      <Box sx={{ display: "grid", gap: 0.75, mt: said.length ? 1 : 0 }}>
        {said.map((each) => (
          <Remark key={each.name} tone={each.right ? "primary" : "warning"}>
            <strong>{each.name}</strong>: {each.text}
          </Remark>
        ))}
        <RefusalRemark error={error} />
      </Box>
    </Section>
  );
}

function Drop({ one, take }: { one: Page; take: (files: File[]) => void }) {
  const [over, setOver] = useState(false);
  const picker = useRef<HTMLInputElement>(null);
  return (
    <Box
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault();
        setOver(false);
        take([...event.dataTransfer.files]);
      }}
      sx={{
        mt: 1.5,
        p: 1.5,
        border: "1px dashed",
        borderColor: over ? "primary.main" : "text.secondary",
        fontSize: "0.9rem",
        display: "flex",
        gap: 1,
        alignItems: "center",
        flexWrap: "wrap",
      }}
    >
      <Box sx={{ flex: 1, minWidth: 200 }}>
        {one.machine
          ? "Drop what you downloaded here, under whatever name."
          : "Leave it in your downloads; the agent finds it there. Drop it here to see whether it is the right one."}
      </Box>
      <Button size="small" variant="outlined" onClick={() => picker.current?.click()}>
        Choose files
      </Button>
      <input
        ref={picker}
        type="file"
        multiple
        hidden
        aria-label="Files for errands"
        onChange={(event) => {
          take([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
    </Box>
  );
}

function Errand({ errand, right }: { errand: Shape["ErrandOut"]; right: boolean }) {
  return (
    <Box component="li" sx={{ fontSize: "0.9rem" }}>
      <strong>
        {errand.name} {errand.version}
      </strong>{" "}
      <Box component="span" sx={{ color: "text.secondary" }}>
        {errand.source} · {errand.pickup} · {bytes(errand.size)}
      </Box>
      {right && (
        <Box component="span" sx={{ color: "primary.main", fontWeight: 600 }}>
          {" "}
          ● arrived
        </Box>
      )}
      <div>{errand.instructions}</div>
      <Box sx={{ display: "flex", alignItems: "center", gap: 0.5 }}>
        <Box
          component="a"
          href={errand.page}
          target="_blank"
          rel="noreferrer"
          sx={{ color: "primary.main", overflowWrap: "anywhere", fontSize: "0.85rem" }}
        >
          {errand.page}
        </Box>
        <Copy text={errand.page} />
      </Box>
    </Box>
  );
}

/** Right or wrong, by hash. For a stand-in the right file is handed over; to a machine of one's own nothing is sent. */
async function judge(one: Page, file: File): Promise<Said> {
  const hash = await sha256(file);
  const wanted = one.errands.find((each) => each.sha256 === hash);
  if (wanted && !one.machine) {
    const text = `${wanted.name} ${wanted.version}: that is the right file. Leave it in your downloads.`;
    return { name: file.name, right: true, text };
  }
  if (wanted) {
    const brought = await sendForm<Shape["BroughtOut"]>(`/api/installations/${one.id}/brought`, { file });
    return { name: file.name, right: brought.mod !== "", text: brought.said };
  }
  const known = await told(
    api.GET("/api/installations/{installation_id}/known/{sha256}", {
      params: { path: { installation_id: one.id, sha256: hash } },
    }),
  );
  const text = known.name
    ? `this is ${known.name}, which is not wanted here.`
    : "no source of this game has this file.";
  return { name: file.name, right: false, text };
}
