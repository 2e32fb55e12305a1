// Handing out: the pack as a file, its page for people without an account, calls of other services, its own fate.
import Box from "@mui/material/Box";
import { useParams } from "react-router";
import { usePack } from "../../api/queries";
import { Loaded } from "../../parts/notices";
import { AsFile } from "./AsFile";
import { Fate } from "./Fate";
import { Hooks } from "./Hooks";
import { PublicPage } from "./PublicPage";

export default function HandOut() {
  const { packId = "" } = useParams();
  const pack = usePack(packId);
  return (
    <Loaded query={pack}>
      {(one) => (
        <Box
          sx={{
            maxWidth: 1180,
            mx: "auto",
            p: { xs: 1.5, sm: 3 },
            display: "grid",
            gap: 3,
            gridTemplateColumns: { xs: "1fr", md: "1fr 1fr" },
            alignItems: "start",
          }}
        >
          <Box sx={{ display: "grid", gap: 3, minWidth: 0 }}>
            <AsFile pack={one} />
            {one.owner && <Fate pack={one} />}
          </Box>
          <Box sx={{ display: "grid", gap: 3, minWidth: 0 }}>
            {!one.suits && <PublicPage pack={one} />}
            {one.role !== "member" && <Hooks packId={one.id} />}
          </Box>
        </Box>
      )}
    </Loaded>
  );
}
