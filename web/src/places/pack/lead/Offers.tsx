// What is new at the lead, place by place: what was taken last, what is here, what is there. Each is taken, kept as it is
// here, or left for later.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Shape } from "../../../api/client";
import { many } from "../../../parts/words";
import type { Editing } from "../useEditing";

type Offer = Shape["LeadOfferOut"];
type Way = "take" | "mine" | "later";

export const KINDS: Record<Shape["PlaceKind"], string> = {
  base: "Base",
  line: "Lines",
  parts: "Parts of mods",
  setting: "Settings",
  step: "Steps by hand",
  aside: "Set aside",
  winner: "Who wins where",
  note: "Notes and tags",
  order: "Order",
};

/** What only the lead changed is taken unless one says otherwise; what both did is for the curator to choose. */
const first = (one: Offer): Way => (one.changed === "there" && !one.missing ? "take" : "later");

export function Offers(props: { lead: Shape["LeadOut"]; offers: Offer[]; editing: Editing; may: boolean }) {
  const { lead, offers, editing, may } = props;
  const [ways, setWays] = useState<Record<string, Way>>({});
  const way = (one: Offer) => ways[one.place] ?? first(one);
  const take = offers.filter((one) => way(one) === "take").map((one) => one.place);
  const mine = offers.filter((one) => way(one) === "mine").map((one) => one.place);
  if (!offers.length)
    return (
      <Typography sx={{ mt: 2 }}>
        {lead.looked_at ? "Nothing is new there that is not here, or decided." : "It has not been looked at yet."}
      </Typography>
    );
  return (
    <Box component="section" aria-label="New at the lead" sx={{ mt: 2 }}>
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        New at the lead ({offers.length})
      </Typography>
      <Box
        sx={{
          display: { xs: "none", md: "grid" },
          gridTemplateColumns: COLUMNS,
          gap: 1.5,
          fontSize: "0.85rem",
          color: "text.secondary",
          py: 0.5,
        }}
      >
        <span />
        <span>Last taken</span>
        <span>Here</span>
        <span>At the lead</span>
        <span />
      </Box>
      {(Object.keys(KINDS) as Offer["kind"][]).map((kind) => {
        const rows = offers.filter((one) => one.kind === kind);
        if (!rows.length) return null;
        return (
          <Box key={kind} component="section" aria-label={KINDS[kind]}>
            <Box component="h3" sx={{ fontSize: "0.9rem", m: 0, mt: 1.5, color: "text.secondary" }}>
              {KINDS[kind]} ({rows.length})
            </Box>
            {rows.map((one) => (
              <Row
                key={one.place}
                one={one}
                way={way(one)}
                choose={(next) => setWays({ ...ways, [one.place]: next })}
                may={may}
              />
            ))}
          </Box>
        );
      })}
      {may && (
        <Box
          sx={{
            display: "flex",
            gap: 1.5,
            alignItems: "center",
            mt: 2,
            position: "sticky",
            bottom: 0,
            py: 1,
            bgcolor: "background.default",
            borderTop: 1,
            borderColor: "divider",
          }}
        >
          <Button
            variant="contained"
            disabled={!(take.length + mine.length) || editing.pending}
            onClick={() => editing.edit({ do: "take from lead", take, mine })}
          >
            {take.length ? `Take ${many(take.length, "change")}` : "Keep it as it is here"}
          </Button>
          <Box sx={{ fontSize: "0.9rem", color: "text.secondary" }}>
            {[
              mine.length > 0 && `${mine.length} stay as they are here`,
              offers.length - take.length - mine.length > 0 &&
                `${offers.length - take.length - mine.length} left for later`,
            ]
              .filter(Boolean)
              .join(", ")}
          </Box>
        </Box>
      )}
    </Box>
  );
}

const COLUMNS = "minmax(150px, 1.2fr) 1fr 1fr 1fr 190px";

function Row({ one, way, choose, may }: { one: Offer; way: Way; choose: (way: Way) => void; may: boolean }) {
  const sides: [string, string][] = [
    ["Last taken", one.taken],
    ["Here", one.mine],
    ["At the lead", one.theirs],
  ];
  return (
    <Box
      sx={{
        display: "grid",
        gridTemplateColumns: { xs: "1fr", md: COLUMNS },
        gap: { xs: 0.25, md: 1.5 },
        alignItems: "center",
        py: 0.75,
        borderTop: 1,
        borderColor: "divider",
        fontSize: "0.9rem",
      }}
    >
      <Box sx={{ overflowWrap: "anywhere", minWidth: 0 }}>
        <strong>{one.name}</strong>
        {one.changed === "both" && (
          <Box component="span" sx={{ color: "warning.main", ml: 0.75, fontSize: "0.82rem" }}>
            ◆ changed here, too
          </Box>
        )}
        {one.missing && <Box sx={{ color: "warning.main", fontSize: "0.82rem" }}>No source here has that build.</Box>}
      </Box>
      {sides.map(([name, said]) => (
        <Box key={name} sx={{ overflowWrap: "anywhere", minWidth: 0, color: said ? undefined : "text.secondary" }}>
          <Box component="span" sx={{ display: { md: "none" }, color: "text.secondary" }}>
            {name}:{" "}
          </Box>
          {said || "—"}
        </Box>
      ))}
      {may ? (
        <ToggleButtonGroup
          exclusive
          size="small"
          value={way}
          aria-label={`What becomes of ${one.name}`}
          onChange={(_, next) => next && choose(next)}
          sx={{ "& .MuiToggleButton-root": { py: 0.25, px: 1, textTransform: "none" } }}
        >
          <ToggleButton value="take">Take</ToggleButton>
          <ToggleButton value="mine">Keep mine</ToggleButton>
          <ToggleButton value="later">Later</ToggleButton>
        </ToggleButtonGroup>
      ) : (
        <span />
      )}
    </Box>
  );
}
