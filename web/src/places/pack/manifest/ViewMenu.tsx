// Which columns the manifest shows, in which order, and how its lines are grouped.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Popover from "@mui/material/Popover";
import { useState } from "react";
import { Pick } from "../../../parts/Pick";
import { HEADS } from "./columns";
import { FIRST_VIEW, type View } from "./useView";

export function ViewMenu({ view, change }: { view: View; change: (change: Partial<View>) => void }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const heads = new Map(HEADS.map((one) => [one.id, one.head]));
  const move = (id: string, by: number) => {
    const order = view.order.filter((one) => one !== id);
    order.splice(Math.max(0, view.order.indexOf(id) + by), 0, id);
    change({ order });
  };
  return (
    <>
      <Button
        size="small"
        sx={{ flex: "none" }}
        aria-haspopup="dialog"
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        Columns
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: "bottom", horizontal: "right" }}
        transformOrigin={{ vertical: "top", horizontal: "right" }}
        slotProps={{ paper: { role: "dialog", "aria-label": "Columns and groups" } }}
      >
        <Box sx={{ p: 1.5, width: 290 }}>
          <Pick
            label="Group lines by"
            value={view.groups}
            options={[
              { value: "part", name: "chosen, collections, brought in, off" },
              { value: "category", name: "category" },
            ]}
            onChange={(groups) => change({ groups: groups as View["groups"] })}
          />
          <Box component="ul" sx={{ listStyle: "none", m: 0, mt: 1, p: 0 }}>
            {view.order.map((id, place) => (
              <Box component="li" key={id} sx={{ display: "flex", alignItems: "center" }}>
                <FormControlLabel
                  sx={{ flex: 1, m: 0 }}
                  control={
                    <Checkbox
                      size="small"
                      sx={{ p: 0.5 }}
                      checked={view.shown[id] !== false}
                      disabled={id === "name"}
                      onChange={(_, on) => change({ shown: { ...view.shown, [id]: on } })}
                    />
                  }
                  label={heads.get(id)}
                  slotProps={{ typography: { variant: "body2" } }}
                />
                <Button
                  size="small"
                  sx={{ minWidth: 28, p: 0 }}
                  disabled={place === 0}
                  onClick={() => move(id, -1)}
                  aria-label={`${heads.get(id)} earlier`}
                >
                  ↑
                </Button>
                <Button
                  size="small"
                  sx={{ minWidth: 28, p: 0 }}
                  disabled={place === view.order.length - 1}
                  onClick={() => move(id, 1)}
                  aria-label={`${heads.get(id)} later`}
                >
                  ↓
                </Button>
              </Box>
            ))}
          </Box>
          <Button size="small" onClick={() => change(FIRST_VIEW)}>
            As it was at first
          </Button>
        </Box>
      </Popover>
    </>
  );
}
