// The finder: searches the catalogue. What does not fit the base is shown greyed, with the reason.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { Empty, Loaded } from "../../../parts/notices";
import { Pick } from "../../../parts/Pick";
import { many } from "../../../parts/words";
import { FinderRow, type Props as RowProps, Sources } from "./FinderRow";
import { Narrowing } from "./Narrowing";
import { type Sort, useFinding } from "./useFinding";

const SORTS: [Sort, string][] = [
  ["best", "best match"],
  ["downloads", "downloads"],
  ["followers", "followers"],
  ["rating", "rating"],
  ["name", "name"],
  ["updated", "last build"],
  ["added", "newly added"],
];
interface Props extends RowProps {
  base: string;
  fold: () => void;
  /** A mod: only what needs it is shown. */
  needs: string;
  clearNeeds: () => void;
}

export function Finder(props: Props) {
  const finding = useFinding(props.packId, props.needs);
  const { found, fitting, page, pictured, sort, text } = finding;
  return (
    <>
      <Box sx={{ p: 1.5, pb: 0.5, display: "grid", gap: 1, flex: "none" }}>
        <Box sx={{ display: "flex", gap: 1 }}>
          <TextField
            id="finder-text"
            label="Find a mod"
            value={text}
            onChange={(event) => finding.ask(event.target.value)}
            onKeyDown={(event) => {
              if (event.key === "ArrowDown") document.querySelector<HTMLElement>("[data-finder-row]")?.focus();
            }}
          />
          <Button
            size="small"
            onClick={props.fold}
            aria-label="Fold the finder"
            sx={{ minWidth: 32, display: { xs: "none", md: "block" } }}
          >
            ‹
          </Button>
        </Box>
        <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1.35fr", gap: 1, alignItems: "center" }}>
          <Pick
            label="Order"
            value={sort}
            options={SORTS.map(([value, name]) => ({ value, name }))}
            onChange={(value) => finding.orderBy(value as Sort)}
          />
          <FormControlLabel
            control={<Switch size="small" checked={fitting} onChange={(_, on) => finding.fitOnly(on)} />}
            label={`Fits ${props.base}`}
            slotProps={{ typography: { variant: "body2", noWrap: true } }}
          />
        </Box>
        <Box sx={{ display: "flex", alignItems: "center", gap: 1, fontSize: "0.85rem" }}>
          <span aria-live="polite" style={{ flex: 1 }}>
            {found.data && (found.data.total < 1000 ? many(found.data.total, "mod") : "the first 1,000 mods")}
          </span>
          {finding.filtered > 0 && (
            <Button size="small" onClick={finding.clear} sx={{ py: 0 }}>
              Clear {finding.filtered}
            </Button>
          )}
          <Button size="small" aria-pressed={pictured} onClick={() => finding.showPictures(!pictured)} sx={{ py: 0 }}>
            {pictured ? "As rows" : "With pictures"}
          </Button>
          <Button
            size="small"
            aria-expanded={finding.filtering}
            onClick={() => finding.showFilters(!finding.filtering)}
            sx={{ py: 0 }}
          >
            Narrow down
          </Button>
        </Box>
        {props.needs && (
          <Box sx={{ display: "flex", alignItems: "center", gap: 1, fontSize: "0.85rem" }}>
            <span style={{ flex: 1 }}>
              What needs <strong>{props.lines.find((one) => one.mod === props.needs)?.name ?? props.needs}</strong>
            </span>
            <Button size="small" onClick={props.clearNeeds} sx={{ py: 0 }}>
              All mods again
            </Button>
          </Box>
        )}
        {finding.filtering && <Narrowing finding={finding} />}
      </Box>
      <Box sx={{ flex: 1, overflow: "auto", minHeight: 160 }} aria-busy={found.isFetching}>
        <Loaded query={found} rows={10}>
          {(data) => (
            <>
              {data.rows.map((row) => (
                <FinderRow key={row.slug} row={row} sort={sort} pictured={pictured} {...props} />
              ))}
              {data.rows.length === 0 && (
                <Empty
                  title="Nothing found"
                  action={
                    fitting && <Button onClick={() => finding.fitOnly(false)}>Look among what does not fit, too</Button>
                  }
                >
                  No mod {text && `like “${text}” `}that {fitting ? "fits this base" : "the sources know"}.
                </Empty>
              )}
              {data.pages > 1 && (
                <Box sx={{ display: "flex", justifyContent: "space-between", alignItems: "center", p: 1 }}>
                  <Button size="small" disabled={page <= 1} onClick={() => finding.turn(page - 1)}>
                    Earlier
                  </Button>
                  <span>
                    {data.page} of {data.pages}, {many(data.total, "mod")}
                  </span>
                  <Button size="small" disabled={page >= data.pages} onClick={() => finding.turn(page + 1)}>
                    More
                  </Button>
                </Box>
              )}
              <Sources sources={data.sources} />
            </>
          )}
        </Loaded>
      </Box>
    </>
  );
}
