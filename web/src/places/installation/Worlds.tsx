// Content that goes into saved worlds: which of them it is placed in is each member's own choice.
import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import { RefusalRemark } from "../../parts/notices";
import { type Page, useChoose } from "./asking";
import { Section } from "./Section";

type Content = Page["into_worlds"][number];

const nameOf = (world: string) => world.slice(world.lastIndexOf("/") + 1);

export function Worlds({ one }: { one: Page }) {
  const choose = useChoose(one.id);
  if (!one.into_worlds.length) return null;
  const set = (content: Content, chosen: string[]) =>
    choose.mutate({
      worlds: Object.fromEntries(
        one.into_worlds.map((each) => [each.mod, each.mod === content.mod ? chosen : each.chosen]),
      ),
    });
  return (
    <Section title="In which worlds" aside="each is yours to choose">
      {one.into_worlds.map((content) => (
        <OneContent
          key={content.mod}
          content={content}
          here={one.worlds_here}
          disabled={choose.isPending || one.by_listing}
          set={(chosen) => set(content, chosen)}
        />
      ))}
      <RefusalRemark error={choose.error} />
    </Section>
  );
}

interface OneProps {
  content: Content;
  here: string[];
  disabled: boolean;
  set: (chosen: string[]) => void;
}

function OneContent({ content, here, disabled, set }: OneProps) {
  const every = `${content.folder}/*`;
  const inAll = content.chosen.includes(every);
  // A world that was chosen and is gone stays chosen: it may come back from a backup.
  const worlds = [
    ...new Set([...here.filter((world) => world.startsWith(`${content.folder}/`)), ...content.chosen]),
  ].filter((world) => world !== every);
  const toggle = (world: string, taken: boolean) =>
    set(taken ? [...content.chosen, world] : content.chosen.filter((each) => each !== world));
  return (
    <Box component="fieldset" sx={{ border: 0, p: 0, m: 0, minWidth: 0, "& + fieldset": { mt: 1.5 } }}>
      <Box component="legend" sx={{ p: 0, fontSize: "0.9rem" }}>
        <strong>{content.name}</strong> {content.version}
      </Box>
      {worlds.length > 0 && (
        <Tick
          label="every world, and those to come"
          checked={inAll}
          disabled={disabled}
          onChange={(taken) => set(taken ? [every] : [...content.lies_in])}
        />
      )}
      {worlds.map((world) => (
        <Tick
          key={world}
          label={nameOf(world)}
          state={stateOf(world, inAll || content.chosen.includes(world), content, here)}
          checked={inAll || content.chosen.includes(world)}
          disabled={disabled || inAll}
          onChange={(taken) => toggle(world, taken)}
        />
      ))}
      {!worlds.length && (
        <Box sx={{ fontSize: "0.85rem", color: "text.secondary", py: 0.5 }}>
          No saved world lies here yet. Begin one in the game; after the agent’s next look it can be chosen here.
        </Box>
      )}
      {content.on_removal && content.lies_in.length > 0 && (
        <Box sx={{ fontSize: "0.82rem", color: "text.secondary" }}>Taken out: {content.on_removal}</Box>
      )}
    </Box>
  );
}

function stateOf(world: string, chosen: boolean, content: Content, here: string[]) {
  if (!here.includes(world)) return "this world is not here";
  const there = content.lies_in.includes(world);
  if (chosen) return there ? "" : "comes with the next sync";
  return there ? "leaves with the next sync" : "";
}

interface TickProps {
  label: string;
  state?: string;
  checked: boolean;
  disabled: boolean;
  onChange: (taken: boolean) => void;
}

function Tick({ label, state, checked, disabled, onChange }: TickProps) {
  return (
    <FormControlLabel
      sx={{ display: "flex", m: 0, "& .MuiFormControlLabel-label": { fontSize: "0.9rem", overflowWrap: "anywhere" } }}
      control={<Checkbox size="small" sx={{ p: 0.5 }} checked={checked} disabled={disabled} />}
      onChange={(_, taken) => onChange(taken)}
      label={
        <>
          {label}
          {state && (
            <Box component="span" sx={{ color: "info.main" }}>
              {" "}
              · {state}
            </Box>
          )}
        </>
      }
    />
  );
}
