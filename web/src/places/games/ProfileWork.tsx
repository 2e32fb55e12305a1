// Working on a profile: as a form or as text on the left, what it comes to on the right.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import { type ReactNode, useRef, useState } from "react";
import { Remark } from "../../parts/notices";
import { Judged } from "./Judged";
import { ProfileForm } from "./ProfileForm";
import { ProfileText } from "./ProfileText";
import { TryIt } from "./TryIt";
import type { Profile } from "./useProfile";

export function ProfileWork(props: { profile: Profile; isNew: boolean; children: ReactNode }) {
  const { profile, isNew } = props;
  const [as, setAs] = useState<"form" | "text">("form");
  const file = useRef<HTMLInputElement>(null);
  const usable = !!profile.read && !profile.read.faults.length;
  return (
    <Box sx={{ display: "grid", gap: 3, gridTemplateColumns: { xs: "1fr", lg: "minmax(0, 1.5fr) minmax(0, 1fr)" } }}>
      <Box sx={{ minWidth: 0 }}>
        <Box sx={{ display: "flex", gap: 1, mb: 2, alignItems: "center" }}>
          <ToggleButtonGroup exclusive size="small" value={as} onChange={(_, next) => next && setAs(next)}>
            <ToggleButton value="form">Step by step</ToggleButton>
            <ToggleButton value="text">As text</ToggleButton>
          </ToggleButtonGroup>
          <Button size="small" onClick={() => file.current?.click()}>
            From a file…
          </Button>
          <input
            ref={file}
            type="file"
            hidden
            accept=".toml"
            aria-label="A profile's file"
            onChange={async (event) => {
              const text = await event.target.files?.[0]?.text();
              if (text !== undefined) profile.write(text);
            }}
          />
        </Box>
        {as === "text" ? (
          <ProfileText text={profile.text} faults={profile.read?.faults ?? []} write={profile.write} />
        ) : profile.document ? (
          <ProfileForm document={profile.document} fill={profile.fill} idIsFixed={!isNew} />
        ) : (
          <Remark tone="warning">
            The text is no TOML just now, so that no form can show it. Mend it as text first.
          </Remark>
        )}
      </Box>
      <Box sx={{ minWidth: 0, display: "grid", gap: 3, alignContent: "start" }}>
        <Judged profile={profile} isNew={isNew} />
        {props.children}
        <TryIt text={profile.text} usable={usable} />
      </Box>
    </Box>
  );
}
