// Check: what fits together, what only in part, and what to do about it. Five places: what was found, who meets whom,
// what is set aside, the pack's own files, and what came of starting it.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { NavLink, Outlet, useParams } from "react-router";
import { api, told } from "../../../api/client";
import { useChange, useFindings, usePack } from "../../../api/queries";

const PLACES = [
  { to: "", name: "What was found" },
  { to: "overlap", name: "Who meets whom" },
  { to: "set-aside", name: "Set aside" },
  { to: "own-files", name: "Own files" },
  { to: "bench", name: "On the bench" },
];

export default function Check() {
  const { packId = "" } = useParams();
  const checked = useFindings(packId).data;
  const may = usePack(packId).data?.role !== "member";
  const read = useChange(
    () => told(api.POST("/api/packs/{pack_id}/findings/read", { params: { path: { pack_id: packId } } })),
    ["pack", packId, "findings"],
  );
  return (
    <Box sx={{ maxWidth: 1120, mx: "auto", px: { xs: 1.5, sm: 3 }, py: 2 }}>
      <Box
        component="nav"
        aria-label="Places of Check"
        sx={{ display: "flex", gap: { xs: 1.5, sm: 3 }, flexWrap: "wrap", alignItems: "baseline", mb: 1.5 }}
      >
        {PLACES.map((place) => (
          <Box
            key={place.to}
            component={NavLink}
            end={place.to === ""}
            to={`/packs/${packId}/check${place.to && `/${place.to}`}`}
            sx={{
              color: "text.secondary",
              textDecoration: "none",
              py: 0.5,
              "&.active": {
                color: "text.primary",
                fontWeight: 700,
                textDecoration: "underline",
                textUnderlineOffset: 6,
              },
            }}
          >
            {place.name}
          </Box>
        ))}
        <Box component="span" role="status" sx={{ ml: "auto", fontSize: "0.85rem", color: "text.secondary" }}>
          {checked && readingSaid(checked.reading, checked.read, checked.unread)}
          {checked && checked.unread > 0 && !checked.reading && may && (
            <Button size="small" sx={{ py: 0 }} disabled={read.isPending} onClick={() => read.mutate(undefined)}>
              Read the others
            </Button>
          )}
        </Box>
      </Box>
      <Outlet />
    </Box>
  );
}

/** How far the reading of settings and data files is, of those that are in a conflict or set by the pack. */
function readingSaid(reading: boolean, read: number, unread: number): string {
  if (!read && !unread) return reading ? "Reading files …" : "";
  if (unread) return `${reading ? "Reading files: " : "Files read: "}${read} of ${read + unread}`;
  return `${read} ${read === 1 ? "file" : "files"} read`;
}
