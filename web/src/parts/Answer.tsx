// Whether one is coming to a departure: two buttons of equal weight, the answer given is filled. They stand in a row that
// wraps, with a refusal in a line below it.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { api, type Shape, told } from "../api/client";
import { useChange } from "../api/queries";
import { RefusalRemark } from "./notices";

const ANSWERS = [
  [true, "I am coming"],
  [false, "Not this time"],
] as const;

export function Answer({ pack, departure }: { pack: string; departure: Shape["DepartureOut"] }) {
  const path = { pack_id: pack, departure_id: departure.id };
  const answer = useChange(
    (comes: boolean) =>
      told(api.POST("/api/packs/{pack_id}/departures/{departure_id}/answer", { params: { path }, body: { comes } })),
    ["pack", pack, "departures"],
  );
  return (
    <>
      {ANSWERS.map(([comes, name]) => (
        <Button
          key={name}
          size="small"
          variant={departure.mine === comes ? "contained" : "outlined"}
          aria-pressed={departure.mine === comes}
          disabled={answer.isPending}
          onClick={() => answer.mutate(comes)}
        >
          {name}
        </Button>
      ))}
      {answer.error && (
        <Box sx={{ flexBasis: "100%", order: 1 }}>
          <RefusalRemark error={answer.error} />
        </Box>
      )}
    </>
  );
}
