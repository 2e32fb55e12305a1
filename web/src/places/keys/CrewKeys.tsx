// Whose keys sign what for a crew. Most crews never touch it: the site's keys do it all.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link } from "react-router";
import type { Shape } from "../../api/client";
import { useCharter } from "../../api/queries";
import { Loaded, Remark } from "../../parts/notices";
import { day, many } from "../../parts/words";
import { mono } from "../../theme";
import { SignedFile } from "./SignedFile";

const DUTIES: Record<Shape["Duty"], string> = {
  charter: "says who may sign what",
  release: "signs releases",
  statement: "signs which release is the newest",
  agent: "signs the agents that this site hands out",
};

export function CrewKeys({ crewId }: { crewId: string }) {
  const charter = useCharter(crewId);
  return (
    <Box component="section">
      <Typography variant="h2" sx={{ mt: 4, mb: 1 }}>
        Keys of this crew
      </Typography>
      <Loaded query={charter} rows={3}>
        {(one) => <Shown charter={one} crewId={crewId} />}
      </Loaded>
    </Box>
  );
}

function Shown({ charter, crewId }: { charter: Shape["CharterOut"]; crewId: string }) {
  const [open, setOpen] = useState(false);
  const allHere = charter.duties.every((one) => one.keys.every((key) => key.on_site));
  return (
    <>
      <Typography variant="body2">
        Machines of this crew trust <code>{charter.mark}</code>.{" "}
        {allHere
          ? "Every key lies on this site: whoever breaks into it could sign a release."
          : "Not all keys lie on this site."}{" "}
        {charter.expires && `The charter holds until ${day(charter.expires)}.`}
      </Typography>
      <Box sx={{ height: 8 }} />
      {charter.ends_soon && (
        <Remark tone="warning" live={false}>
          <strong>The charter's time is running out.</strong> After it no machine takes anything new. Make the next one
          with its charter key, and bring it here.
        </Remark>
      )}
      {charter.unsigned.length > 0 && (
        <Remark tone="warning" live={false}>
          <strong>Some releases lack signatures under this charter.</strong> Whoever does not have one of them already
          cannot get it.
          {charter.unsigned.map((one) => (
            <div key={one.pack}>
              <Link to={`/packs/${one.pack}/publish`}>
                {one.name}: sign {many(one.releases, "release")}
              </Link>
            </div>
          ))}
        </Remark>
      )}
      <Box
        component="dl"
        sx={{ display: "grid", gridTemplateColumns: "minmax(7em, auto) 1fr", columnGap: 2, rowGap: 0.5, my: 1.5 }}
      >
        {charter.duties.map((one) => (
          <Box key={one.duty} sx={{ display: "contents" }}>
            <dt>{one.duty}</dt>
            <Box component="dd" sx={{ m: 0 }}>
              <Box sx={{ color: "text.secondary", fontSize: "0.9rem" }}>
                {DUTIES[one.duty]}
                {one.keys.length > 1 && `, ${one.threshold} of ${one.keys.length}`}
                {one.keys.length === 0 && ": nobody"}
              </Box>
              {one.keys.map((key) => (
                <Box key={key.public} sx={{ fontFamily: mono, fontSize: "0.9rem" }}>
                  {key.fingerprint}
                  {key.on_site && " · this site"}
                </Box>
              ))}
            </Box>
          </Box>
        ))}
      </Box>
      {charter.may_change && !open && (
        <Button size="small" variant="outlined" onClick={() => setOpen(true)}>
          Change who signs
        </Button>
      )}
      {charter.may_change && open && (
        <Box sx={{ borderLeft: 3, borderColor: "divider", pl: 2 }}>
          <Typography variant="body2">
            Keys that lie on no site cannot be stolen there. Take the charter to the machine that holds them, make the
            next one, and bring it back. The key that signed the last charter has to sign the next.
          </Typography>
          <SignedFile
            address={`/api/crews/${crewId}/charter/file`}
            take="Take the charter"
            bring="Bring the next charter"
            command="convoy key charter charter.json --charter my.key --release my.key --sign my.key --out next.json"
            may
            about={[["crew", crewId], ["pack"]]}
            brought={() => setOpen(false)}
          />
        </Box>
      )}
    </>
  );
}
