// Two mods side by side: each path that both carry, its keys with the value that holds and the one that is lost.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Link as RouterLink, useParams } from "react-router";
import type { Shape } from "../../../api/client";
import { useDraft, usePack, usePair } from "../../../api/queries";
import { Loaded, Remark } from "../../../parts/notices";
import { many } from "../../../parts/words";
import { mono } from "../../../theme";
import { LastEdit } from "../LastEdit";
import { RehearsalDialog } from "../Rehearsal";
import { type Editing, useEditing } from "../useEditing";

type Both = Shape["PairOut"];
type Path = Shape["MetPathOut"];

export default function Pair() {
  const { packId = "", one = "", other = "" } = useParams();
  const pair = usePair(packId, one, other);
  const editing = useEditing(packId);
  const may = usePack(packId).data?.role !== "member";
  return (
    <>
      <RouterLink to={`/packs/${packId}/check/overlap`}>All who meet</RouterLink>
      <LastEdit editing={editing} />
      <RehearsalDialog editing={editing} />
      <Loaded query={pair}>{(both) => <Shown packId={packId} both={both} editing={editing} may={may} />}</Loaded>
    </>
  );
}

function Shown({ packId, both, editing, may }: { packId: string; both: Both; editing: Editing; may: boolean }) {
  const lines = new Set(useDraft(packId).data?.lines.flatMap((one) => (one.group === "chosen" ? [one.mod] : [])));
  const canTurn = lines.has(both.one) && lines.has(both.other);
  const places = both.paths.map((path) => path.path).slice(0, 200);
  return (
    <>
      <Typography variant="h2" component="h1" sx={{ mt: 1 }}>
        {both.one_name} and {both.other_name}
      </Typography>
      <Box sx={{ fontSize: "0.9rem", color: "text.secondary", mb: 1 }}>
        {both.paths.length ? (
          <>
            {both.one_name} is laid down first, {both.other_name} over it.
          </>
        ) : (
          "They carry no path both. By their own word they change the same."
        )}
      </Box>
      {both.patches.length > 0 && (
        <Remark tone="info" live={false}>
          A patch joins both: {both.patches.join(", ")}.
        </Remark>
      )}
      {may && both.paths.length > 0 && (
        <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", my: 1, alignItems: "center" }}>
          {[
            { mod: both.one, name: both.one_name },
            { mod: both.other, name: both.other_name },
          ].map(({ mod, name }) => (
            <Button
              key={mod}
              size="small"
              variant="outlined"
              onClick={() => editing.edit({ do: "winner", places, mod })}
              disabled={editing.pending}
            >
              {name} holds everywhere
            </Button>
          ))}
          {both.paths.some((path) => path.decided) && (
            <Button size="small" onClick={() => editing.edit({ do: "winner", places, mod: "" })}>
              Let the order decide
            </Button>
          )}
          {canTurn && (
            <>
              <Button
                size="small"
                variant="outlined"
                onClick={() => editing.edit({ do: "move", mods: [both.other], before: both.one })}
              >
                Lay {both.other_name} down first
              </Button>
              <Box component="span" sx={{ fontSize: "0.85rem", color: "text.secondary" }}>
                That turns {many(both.turned, "path")} round
                {both.turned_with.length > 0 && `, also with ${both.turned_with.slice(0, 3).join(", ")}`}.
              </Box>
            </>
          )}
        </Box>
      )}
      {both.paths.map((path) => (
        <PathRows key={path.path} path={path} both={both} editing={editing} may={may} />
      ))}
      {both.more > 0 && <p>And {both.more} more paths.</p>}
    </>
  );
}

function PathRows({ path, both, editing, may }: { path: Path; both: Both; editing: Editing; may: boolean }) {
  const sides = [
    { mod: both.one, name: both.one_name },
    { mod: both.other, name: both.other_name },
  ];
  const other = path.winner === both.one ? sides[1] : sides[0];
  return (
    <Box component="section" aria-label={path.path} sx={{ mt: 1.5 }}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline", flexWrap: "wrap" }}>
        <Box sx={{ fontFamily: mono, fontSize: "0.85rem", fontWeight: 600, overflowWrap: "anywhere" }}>{path.path}</Box>
        <Box sx={{ fontSize: "0.85rem", color: "text.secondary" }}>
          {path.is_readable ? many(path.keys.length, "key") : path.trouble || "compared as a whole"}
          {path.decided && " · decided"}
        </Box>
        {may && (
          <Button
            size="small"
            sx={{ py: 0 }}
            aria-label={`${other.name} instead at ${path.path}`}
            onClick={() => editing.edit({ do: "winner", places: [path.path], mod: other.mod })}
          >
            {other.name} instead
          </Button>
        )}
      </Box>
      <Box
        component="table"
        sx={{
          width: "100%",
          borderCollapse: "collapse",
          tableLayout: "fixed",
          fontSize: "0.88rem",
          "& th, & td": {
            textAlign: "left",
            borderTop: 1,
            borderColor: "divider",
            py: 0.35,
            pr: 1.5,
            verticalAlign: "top",
          },
        }}
      >
        <thead>
          <tr>
            <th scope="col">{path.is_readable ? "Key" : "File"}</th>
            {sides.map((side) => (
              <th scope="col" key={side.mod}>
                {side.name}
                {path.winner === side.mod ? " ● holds" : ""}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {path.keys.map((row) => (
            <tr key={row.key}>
              <Box component="td" sx={{ fontFamily: mono, overflowWrap: "anywhere" }}>
                {row.key}
              </Box>
              {sides.map((side) => (
                <Value key={side.mod} value={row.values[side.mod] ?? null} holds={path.winner === side.mod} />
              ))}
            </tr>
          ))}
          {!path.is_readable && (
            <tr>
              <td>the whole file</td>
              {sides.map((side) => (
                <td key={side.mod}>{path.winner === side.mod ? "lies there" : "is covered"}</td>
              ))}
            </tr>
          )}
        </tbody>
      </Box>
    </Box>
  );
}

function Value({ value, holds }: { value: string | null; holds: boolean }) {
  if (value === null) return <Box component="td">{holds ? "not set" : ""}</Box>;
  return (
    <Box component="td" sx={{ overflowWrap: "anywhere" }}>
      <Box
        component={holds ? "strong" : "span"}
        sx={{
          fontFamily: mono,
          textDecoration: holds ? "none" : "line-through",
          color: holds ? undefined : "text.secondary",
        }}
      >
        {value}
      </Box>
      {!holds && (
        <Box component="span" sx={{ color: "text.secondary" }}>
          {" "}
          lost
        </Box>
      )}
    </Box>
  );
}
