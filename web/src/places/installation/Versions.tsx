// Which release this installation follows: the newest, the one it has, any earlier one; trial releases by choice.
import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Link from "@mui/material/Link";
import Radio from "@mui/material/Radio";
import { Link as RouterLink } from "react-router";
import { RefusalRemark } from "../../parts/notices";
import { day } from "../../parts/words";
import { mono } from "../../theme";
import { type Page, useChoose } from "./asking";
import { Section } from "./Section";

export function Versions({ one }: { one: Page }) {
  const choose = useChoose(one.id);
  const open = one.releases.filter((each) => each.open || (one.trial && !each.withdrawn));
  const pick = (stays_at: string) => choose.mutate({ stays_at });
  return (
    <Section title="Which release">
      <Box role="radiogroup" aria-label="Which release" sx={{ maxHeight: 230, overflowY: "auto" }}>
        <Option
          checked={!one.stays_at}
          pick={() => pick("")}
          label={one.current ? `The newest, now ${one.current}` : "The newest, once one is open"}
        />
        {open.map((each) => (
          <Option
            key={each.number}
            checked={one.stays_at === each.number}
            pick={() => pick(each.number)}
            label={`Stay at ${each.number}`}
            more={
              <>
                {day(each.published_at)}
                {each.channel === "trial" && " · trial"}
                {each.number === one.release && <strong> · you are here</strong>}
                {" · "}
                <Link component={RouterLink} to={`/packs/${one.pack_id}/releases/${each.number}`}>
                  change log
                </Link>
              </>
            }
          />
        ))}
      </Box>
      {one.releases
        .filter((each) => each.withdrawn)
        .map((each) => (
          <Box key={each.number} sx={{ fontSize: "0.85rem", color: "text.secondary" }}>
            <Box component="span" sx={{ fontFamily: mono, textDecoration: "line-through" }}>
              {each.number}
            </Box>{" "}
            withdrawn: {each.withdrawn}
          </Box>
        ))}
      <FormControlLabel
        sx={{ mt: 0.5 }}
        control={
          <Checkbox
            size="small"
            checked={one.trial}
            disabled={one.by_listing}
            onChange={(event) => choose.mutate({ trial: event.target.checked })}
          />
        }
        label={<Box sx={{ fontSize: "0.9rem" }}>Follow trial releases too</Box>}
      />
      <RefusalRemark error={choose.error} />
    </Section>
  );
}

function Option(props: { checked: boolean; pick: () => void; label: string; more?: React.ReactNode }) {
  return (
    <Box sx={{ display: "flex", alignItems: "center", fontSize: "0.9rem", minHeight: 32 }}>
      <Radio
        size="small"
        checked={props.checked}
        onChange={props.pick}
        slotProps={{ input: { "aria-label": props.label } }}
        sx={{ p: 0.5 }}
      />
      <Box sx={{ whiteSpace: "nowrap", mr: 1 }}>{props.label}</Box>
      <Box sx={{ color: "text.secondary", fontSize: "0.82rem" }}>{props.more}</Box>
    </Box>
  );
}
