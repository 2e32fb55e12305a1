// A member's page for one installation: where I am, where the pack is, what will happen, what I do by hand, what I
// chose, my worlds. One main button, named for what it does.
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useParams } from "react-router";
import { useInstallation } from "../../api/queries";
import { Emblem } from "../../parts/marks";
import { Loaded, Remark } from "../../parts/notices";
import { moment } from "../../parts/words";
import { Ahead } from "./Ahead";
import { AskForHelp } from "./AskForHelp";
import type { Page } from "./asking";
import { Backups } from "./Backups";
import { Beside } from "./Beside";
import { Choices } from "./Choices";
import { Commands } from "./Commands";
import { Differences } from "./Differences";
import { Errands } from "./Errands";
import { History } from "./History";
import { Leave } from "./Leave";
import { Machine } from "./Machine";
import { NextDeparture } from "./NextDeparture";
import { OwnSettings } from "./OwnSettings";
import { SavedWorlds } from "./SavedWorlds";
import { Standing } from "./Standing";
import { Steps } from "./Steps";
import { Versions } from "./Versions";
import { Worlds } from "./Worlds";

export default function Installation() {
  const { installationId = "" } = useParams();
  const page = useInstallation(installationId);
  return (
    <Box sx={{ maxWidth: 1180, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      <Loaded query={page}>{(one) => <Shown one={one} />}</Loaded>
    </Box>
  );
}

/** What the agent found wrong with what it keeps, and what it did about it. */
function Remarks({ one }: { one: Page }) {
  if (!one.remarks.length) return null;
  return (
    <Remark tone="warning">
      {one.remarks.map((each) => (
        <Box key={each}>{each}</Box>
      ))}
    </Remark>
  );
}

function Shown({ one }: { one: Page }) {
  const about = [one.name, one.crew, one.machine, one.side === "server" ? "server" : ""];
  return (
    <>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", mb: 2 }}>
        <Emblem name={one.emblem} size={36} />
        <Box sx={{ minWidth: 0 }}>
          <Typography variant="h1">{one.pack}</Typography>
          <Typography variant="body2" sx={{ color: "text.secondary" }}>
            {about.filter(Boolean).join(" · ")}
          </Typography>
        </Box>
      </Box>
      <Box sx={{ display: "grid", gap: 2, gridTemplateColumns: { xs: "1fr", md: "3fr 2fr" }, alignItems: "start" }}>
        <Box sx={{ display: "grid", gap: 2, minWidth: 0 }}>
          <Standing one={one} />
          {one.sealed_until && (
            <Remark tone="primary" live={false}>
              <strong>
                Release {one.target} is sealed until {moment(one.sealed_until)}.
              </strong>{" "}
              What is in it is a surprise until then.{" "}
              {one.release !== one.target && "Sync now, and the evening starts in step. "}
              The files lie on your own disk: nobody keeps you from looking there but you.
            </Remark>
          )}
          <Remarks one={one} />
          <Errands one={one} />
          <Differences one={one} />
          <Ahead one={one} />
          <Steps one={one} />
          <SavedWorlds one={one} />
          <Beside one={one} />
        </Box>
        <Box sx={{ display: "grid", gap: 2, minWidth: 0 }}>
          {!one.by_listing && <NextDeparture one={one} />}
          {!one.by_listing && one.release && <AskForHelp one={one} />}
          <Choices one={one} />
          {!one.sealed_until && <OwnSettings one={one} />}
          <Worlds one={one} />
          <Machine one={one} />
          <Versions one={one} />
          <Backups one={one} />
          <History one={one} />
          {!one.machine && one.paired && <Commands one={one} />}
          <Leave one={one} />
        </Box>
      </Box>
    </>
  );
}
