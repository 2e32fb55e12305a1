// The keeper's place: how the site stands, its rules, people, sources, jobs, storage, and what was done. Plain and dense.
import Box from "@mui/material/Box";
import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import Typography from "@mui/material/Typography";
import { Link, useSearchParams } from "react-router";
import { SourceList } from "../sources/SourceList";
import { Accounts } from "./Accounts";
import { Audit } from "./Audit";
import { Benches } from "./Benches";
import { Jobs } from "./Jobs";
import { Rules } from "./Rules";
import { Stands } from "./Stands";
import { Storage } from "./Storage";

const PARTS = {
  stands: "How it stands",
  rules: "Rules",
  people: "People",
  sources: "Sources",
  jobs: "Jobs",
  benches: "Benches",
  storage: "Storage",
  done: "What was done",
};

export default function Keeper() {
  const [search, setSearch] = useSearchParams();
  const part = (search.get("part") ?? "stands") as keyof typeof PARTS;
  return (
    <Box sx={{ maxWidth: 1180, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      <Typography variant="h1">The site</Typography>
      <Tabs
        value={part in PARTS ? part : "stands"}
        onChange={(_, next) => setSearch({ part: next })}
        variant="scrollable"
        sx={{ borderBottom: 1, borderColor: "divider", mb: 2 }}
      >
        {Object.entries(PARTS).map(([value, name]) => (
          <Tab key={value} value={value} label={name} sx={{ textTransform: "none" }} />
        ))}
      </Tabs>
      {part === "stands" && <Stands />}
      {part === "rules" && <Rules />}
      {part === "people" && <Accounts />}
      {part === "sources" && (
        <>
          <SourceList crew="" may />
          <Typography variant="body2" sx={{ mt: 3 }}>
            Games of everybody are brought and changed under <Link to="/games">Games</Link>.
          </Typography>
        </>
      )}
      {part === "jobs" && <Jobs />}
      {part === "benches" && <Benches />}
      {part === "storage" && <Storage />}
      {part === "done" && <Audit />}
    </Box>
  );
}
