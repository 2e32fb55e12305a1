// The log of a start, and on request the last good one beside it.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { Shape } from "../../../api/client";
import type { LogSource } from "../../../api/queries";
import { Log } from "./Log";

interface Props {
  last: LogSource;
  /** The last good start's; null where there is none. */
  good: LogSource | null;
  severity: Shape["EntrySeverity"];
  leftOut?: number;
  names: Record<string, string>;
}

export function Logs({ last, good, severity, leftOut, names }: Props) {
  const [both, setBoth] = useState(false);
  return (
    <Box sx={{ display: "grid", gap: 2, gridTemplateColumns: both ? { xs: "1fr", lg: "1fr 1fr" } : "1fr" }}>
      <Box sx={{ minWidth: 0 }}>
        <Log
          title="What it said"
          source={last}
          severity={severity}
          marked={good !== null}
          leftOut={leftOut}
          names={names}
        />
        {good && (
          <Button size="small" aria-expanded={both} onClick={() => setBoth(!both)}>
            {both ? "This one alone" : "Beside the last good one"}
          </Button>
        )}
      </Box>
      {both && good && (
        <Log title="What the last good one said" source={good} severity={severity} marked={false} names={names} />
      )}
    </Box>
  );
}
