// How the site stands: each of its parts, jobs, and what is set up.
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { Loaded } from "../../parts/notices";
import { many } from "../../parts/words";
import { useKeeper } from "./queries";

export function Stands() {
  const keeper = useKeeper();
  return (
    <Loaded query={keeper}>
      {(page) => (
        <>
          {page.health.map((one) => (
            <Box key={one.name} sx={{ display: "flex", gap: 2, py: 0.75, borderBottom: 1, borderColor: "divider" }}>
              <Box sx={{ width: 110 }}>{one.name}</Box>
              <Box sx={{ width: 90, fontWeight: 600, color: one.ok ? "primary.main" : "error.main" }}>
                {one.ok ? "● fine" : "▬ not so"}
              </Box>
              <Box>{one.told}</Box>
            </Box>
          ))}
          <Typography sx={{ mt: 2 }}>
            {many(page.workers, "worker")}; {many(page.jobs_waiting, "job waits", "jobs wait")}, {page.jobs_doing} under
            way, {page.jobs_failed} failed.
          </Typography>
          <Typography>
            Files are kept {page.files_at === "disk" ? "on this machine's disk" : "in an object store"}.
          </Typography>
          <Typography>
            {page.mail
              ? "Mail is set up."
              : "No mail is set up: a forgotten password comes back through you (People). CONVOY_MAIL changes that."}
          </Typography>
          <Typography>
            {page.private_sources.length
              ? `Sources may also lie in ${page.private_sources.join(", ")}.`
              : "Sources may lie on the open network alone."}
          </Typography>
        </>
      )}
    </Loaded>
  );
}
