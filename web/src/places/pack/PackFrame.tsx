// What stands above every stage of a pack: the line, and the stages of the work with what is open in each.
import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import { Link, NavLink, Outlet, useNavigate, useParams } from "react-router";
import { useDraft, useFindings, usePack, usePending, useRollCall } from "../../api/queries";
import { useKeys } from "../../parts/keys";
import { Loaded, Remark } from "../../parts/notices";
import { TheLine } from "../../parts/TheLine";

export default function PackFrame() {
  const { packId = "" } = useParams();
  const pack = usePack(packId);
  return (
    <Loaded query={pack} rows={3}>
      {(one) => (
        <Box sx={{ display: "flex", flexDirection: "column", height: { md: "calc(100vh - 48px)" } }}>
          <TheLine packId={packId} />
          <Stages packId={packId} isCollection={one.suits !== null} />
          {one.retired && (
            <Remark tone="warning" live={false}>
              <strong>This pack is retired.</strong> {one.retired}{" "}
              {one.owner && <Link to={`/packs/${packId}/hand-out`}>Bring it back</Link>}
            </Remark>
          )}
          <Box role="region" aria-label="Page" tabIndex={0} sx={{ flex: 1, minHeight: 0, overflow: "auto" }}>
            <Outlet />
          </Box>
        </Box>
      )}
    </Loaded>
  );
}

function Stages({ packId, isCollection }: { packId: string; isCollection: boolean }) {
  const { data: draft, isFetched: later } = useDraft(packId);
  const findings = useFindings(packId, later).data?.findings;
  const pending = usePending(packId, "stable", later).data;
  const called = useRollCall(packId, later).data;
  const navigate = useNavigate();
  const stages = [
    { to: "assemble", name: "Assemble", open: draft?.unsettled ?? 0, what: "without a build" },
    {
      to: "check",
      name: "Check",
      open: findings?.filter((one) => one.severity !== "advice" && !one.laid_down).length ?? 0,
      what: "to look at",
    },
    { to: "settings", name: "Settings", open: draft?.holding ?? 0, what: "set" },
    { to: "publish", name: "Publish", open: pending?.changes.length ?? 0, what: "pending" },
    { to: "hand-out", name: "Hand out", open: 0, what: "" },
    {
      to: "crew",
      name: "Crew",
      open: called?.rows.filter((row) => row.standing.state !== "in step").length ?? 0,
      what: "not in step",
    },
  ].filter((stage) => !(isCollection && stage.to === "crew"));
  useKeys(
    "This pack",
    stages.map((stage, index) => ({
      key: String(index + 1),
      does: `to ${stage.name}`,
      run: () => navigate(`/packs/${packId}/${stage.to}`),
    })),
  );
  return (
    <Box
      component="nav"
      aria-label="Stages of the work"
      sx={{
        display: "flex",
        borderBottom: 1,
        borderColor: "divider",
        px: { xs: 0, sm: 2 },
        flex: "none",
        overflowX: "auto",
      }}
    >
      {stages.map((stage) => (
        <ButtonBase
          key={stage.to}
          component={NavLink}
          to={`/packs/${packId}/${stage.to}`}
          sx={{
            px: { xs: 1.5, sm: 2.5 },
            height: 40,
            gap: 1,
            fontSize: "0.95rem",
            whiteSpace: "nowrap",
            borderBottom: "3px solid transparent",
            "&.active": { borderColor: "primary.main", fontWeight: 700 },
          }}
        >
          {stage.name}
          <Box component="span" sx={{ color: "text.secondary", fontSize: "0.82rem", fontWeight: 400, minWidth: 12 }}>
            {stage.open > 0 && `${stage.open} ${stage.what}`}
          </Box>
        </ButtonBase>
      ))}
    </Box>
  );
}
