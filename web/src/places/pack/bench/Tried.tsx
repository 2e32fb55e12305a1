// Whether exactly this was started on the bench, in one line: beside publishing, and on a release's page.
import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import { Link as RouterLink } from "react-router";
import type { Shape } from "../../../api/client";
import { useTrialOfRelease, useTrials } from "../../../api/queries";
import { when } from "../../../parts/words";
import { verdict } from "./said";

/** Of the draft as it is now. Nothing is said where no game is tried. */
export function TriedDraft({ packId }: { packId: string }) {
  const bench = useTrials(packId).data;
  if (!bench?.has_bench) return null;
  return <Line packId={packId} one={bench.trials.find((one) => one.id === bench.current)} />;
}

export function TriedRelease({ packId, number }: { packId: string; number: string }) {
  const found = useTrialOfRelease(packId, number);
  if (found.data) return <Line packId={packId} one={found.data} />;
  return found.isSuccess ? (
    <Box sx={{ fontSize: "0.9rem", color: "text.secondary" }}>Not tried on the bench.</Box>
  ) : null;
}

function Line({ packId, one }: { packId: string; one: Shape["TrialRow"] | undefined }) {
  const at = `/packs/${packId}/check/bench`;
  if (!one)
    return (
      <Box sx={{ fontSize: "0.9rem", color: "text.secondary" }}>
        Not tried on the bench as it is now.{" "}
        <Link component={RouterLink} to={at}>
          Try it
        </Link>
      </Box>
    );
  const { text, tone } = verdict(one);
  return (
    <Box sx={{ fontSize: "0.9rem", color: "text.secondary" }}>
      On the bench:{" "}
      <Link component={RouterLink} to={`${at}/${one.id}`} sx={{ color: `${tone}.main`, fontWeight: 600 }}>
        {text}
      </Link>
      , {when(one.at)}
    </Box>
  );
}
