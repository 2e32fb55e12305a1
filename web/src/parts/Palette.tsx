// Goes to any pack, person, installation or place by typing. Opened with Ctrl/Cmd-K or from the bar.
import Box from "@mui/material/Box";
import Dialog from "@mui/material/Dialog";
import InputBase from "@mui/material/InputBase";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { api, told } from "../api/client";

interface Entry {
  name: string;
  hint: string;
  address: string;
}

function places(packId: string | undefined): Entry[] {
  const common = [
    { name: "My convoy", hint: "place", address: "/" },
    { name: "Start a pack", hint: "do", address: "/packs/new" },
    { name: "Join with a code", hint: "do", address: "/join" },
    { name: "Open a pack from a file", hint: "do", address: "/packs/open" },
    { name: "News", hint: "place", address: "/news" },
  ];
  if (!packId) return common;
  const stages = ["assemble", "check", "publish", "hand-out", "crew"].map((stage) => ({
    name: (stage[0].toUpperCase() + stage.slice(1)).replace("-", " "),
    hint: "stage of this pack",
    address: `/packs/${packId}/${stage}`,
  }));
  return [...stages, ...common];
}

export function Palette({ open, close }: { open: boolean; close: () => void }) {
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const { packId } = useParams();
  const navigate = useNavigate();
  const asked = text.trim();
  const found = useQuery({
    queryKey: ["find", asked],
    queryFn: () => told(api.GET("/api/find", { params: { query: { text: asked } } })),
    enabled: open && asked !== "",
    placeholderData: (before) => before,
  });
  const mods = useQuery({
    queryKey: ["pack", packId, "palette", asked],
    queryFn: () =>
      told(
        api.GET("/api/packs/{pack_id}/catalogue", {
          params: { path: { pack_id: packId ?? "" }, query: { text: asked, fitting_only: false } },
        }),
      ),
    enabled: open && asked !== "" && !!packId,
  });
  const entries: Entry[] = [
    ...places(packId).filter((one) => one.name.toLowerCase().includes(asked.toLowerCase())),
    ...(asked ? (found.data ?? []).map((one) => ({ ...one, hint: `${one.what} · ${one.hint}` })) : []),
    ...(asked ? (mods.data?.rows ?? []) : []).slice(0, 8).map((one) => ({
      name: one.name,
      hint: `mod · ${one.category}`,
      address: `/packs/${packId}/assemble?mod=${one.slug}`,
    })),
  ];
  const go = (entry: Entry | undefined) => {
    if (!entry) return;
    shut();
    navigate(entry.address);
  };
  const shut = () => {
    setText("");
    setAt(0);
    close();
  };

  return (
    <Dialog
      open={open}
      onClose={shut}
      fullWidth
      maxWidth="sm"
      aria-label="Go to"
      slotProps={{ paper: { sx: { mb: "30vh" } } }}
    >
      <InputBase
        autoFocus
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          setAt(0);
        }}
        placeholder="Go to a pack, person, mod or place"
        sx={{ px: 2, py: 1, fontSize: "1.1rem", borderBottom: 1, borderColor: "divider" }}
        inputProps={{
          "aria-label": "Go to a pack, person, mod or place",
          role: "combobox",
          "aria-expanded": true,
          "aria-controls": "palette-list",
          "aria-activedescendant": entries.length ? `palette-${at}` : undefined,
        }}
        onKeyDown={(event) => {
          const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
          if (step && entries.length) {
            event.preventDefault();
            setAt((at + step + entries.length) % entries.length);
          }
          if (event.key === "Enter") go(entries[at]);
        }}
      />
      <Box
        id="palette-list"
        role="listbox"
        aria-label="Found"
        sx={{ minHeight: 240, maxHeight: 360, overflow: "auto" }}
      >
        {entries.map((entry, index) => (
          <Box
            key={`${entry.address} ${entry.name}`}
            id={`palette-${index}`}
            role="option"
            aria-selected={index === at}
            onClick={() => go(entry)}
            onMouseMove={() => setAt(index)}
            sx={{
              px: 2,
              py: 0.75,
              display: "flex",
              justifyContent: "space-between",
              gap: 2,
              cursor: "pointer",
              bgcolor: index === at ? "action.selected" : undefined,
            }}
          >
            <span>{entry.name}</span>
            <Box component="span" sx={{ color: "text.secondary" }}>
              {entry.hint}
            </Box>
          </Box>
        ))}
        {entries.length === 0 && <Box sx={{ p: 2, color: "text.secondary" }}>Nothing is named like that.</Box>}
      </Box>
    </Dialog>
  );
}
