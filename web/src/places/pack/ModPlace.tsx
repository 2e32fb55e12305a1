// A mod's own page: what it is, pictures, builds with what each needs and changed, what it carries and touches, who needs
// it, what its licence allows, which of my packs have it, and what removing it does to saved worlds.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";
import { Link, useParams } from "react-router";
import type { Shape } from "../../api/client";
import { useDraft, useMod, useMoreOfMod, usePack } from "../../api/queries";
import { PICKUPS, REACHES, SIDES, sentence } from "../../parts/meanings";
import { Loaded, Remark } from "../../parts/notices";
import { bytes, day, many } from "../../parts/words";
import { mono } from "../../theme";
import { BuildSaid } from "./BuildSaid";
import { ModPicture } from "./ModPicture";
import { RehearsalDialog } from "./Rehearsal";
import { useEditing } from "./useEditing";

type Page = Shape["ModPage"];
type More = Shape["MoreOfMod"];

export default function ModPlace() {
  const { packId = "", slug = "" } = useParams();
  const mod = useMod(packId, slug);
  const more = useMoreOfMod(packId, slug);
  return (
    <Box sx={{ maxWidth: 1100, mx: "auto", p: { xs: 1.5, sm: 2.5 } }}>
      <Loaded query={mod} rows={10}>
        {(page) => (
          <>
            <Top packId={packId} page={page} />
            <Loaded query={more} rows={10}>
              {(rest) => <Whole packId={packId} page={page} more={rest} />}
            </Loaded>
          </>
        )}
      </Loaded>
    </Box>
  );
}

function Top({ packId, page }: { packId: string; page: Page }) {
  const pack = usePack(packId).data;
  const line = useDraft(packId).data?.lines.find((one) => one.mod === page.slug);
  const editing = useEditing(packId);
  const fits = page.comes !== "";
  const may = pack && pack.role !== "member";
  return (
    <Box sx={{ display: "flex", gap: 2, alignItems: "flex-start", mb: 2, flexWrap: "wrap" }}>
      <Box sx={{ flex: 1, minWidth: 260 }}>
        <Button size="small" component={Link} to={`/packs/${packId}/assemble?mod=${page.slug}`} sx={{ px: 0 }}>
          ‹ To the manifest
        </Button>
        <Typography variant="h1">{page.name}</Typography>
        <Typography>{page.summary}</Typography>
        <Box sx={{ color: "text.secondary", fontSize: "0.9rem" }}>
          {[page.author && `by ${page.author}`, page.kind, page.category].filter(Boolean).join(" · ")}
          {page.downloads > 0 && ` · ${page.downloads.toLocaleString("en-GB")} downloads`}
        </Box>
      </Box>
      <Box sx={{ textAlign: "right" }}>
        {line ? (
          <Box>
            {line.group === "chosen" ? "In the pack" : "Brought in"}
            {line.version && <span style={{ fontFamily: mono }}> {line.version}</span>}
          </Box>
        ) : (
          may && (
            <Button
              variant="contained"
              disabled={!fits || editing.pending}
              onClick={() => editing.edit({ do: "add", mod: page.slug, version: page.comes })}
            >
              {fits ? "Add to the pack" : "Does not fit the base"}
            </Button>
          )
        )}
        {editing.refused && <Remark tone="error">{editing.refused.message}</Remark>}
        <RehearsalDialog editing={editing} />
      </Box>
    </Box>
  );
}

function Whole({ packId, page, more }: { packId: string; page: Page; more: More }) {
  const to = (mod: string) => `/packs/${packId}/mods/${encodeURIComponent(mod)}`;
  return (
    <Box sx={{ display: "grid", gap: 3, gridTemplateColumns: { xs: "1fr", md: "minmax(0, 3fr) minmax(0, 2fr)" } }}>
      <Box sx={{ display: "grid", gap: 3, alignContent: "start" }}>
        {more.pictures > 0 && (
          <Box
            sx={{ display: "grid", gap: 1, gridTemplateColumns: more.pictures > 1 ? "1fr 1fr" : "minmax(0, 420px)" }}
          >
            {Array.from({ length: Math.min(more.pictures, 4) }, (_, number) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: a picture is its number
              <ModPicture key={number} packId={packId} mod={page.slug} name={page.name} number={number} />
            ))}
          </Box>
        )}
        <Part title="Builds">
          {page.builds.map((build) => (
            <BuildRow key={build.version} build={build} names={page.names} />
          ))}
        </Part>
      </Box>
      <Box sx={{ display: "grid", gap: 3, alignContent: "start" }}>
        {more.on_removal && (
          <Part title="If it is removed">
            <Remark tone="warning" live={false}>
              {more.on_removal}
            </Remark>
          </Part>
        )}
        <Part title="Licence and pickup">
          <p style={{ margin: 0 }}>
            <strong>{page.licence || "No licence"}.</strong> {more.licence_sentence}
          </p>
          <p style={{ margin: "4px 0 0" }}>
            {page.source}, pickup {page.pickup}. {sentence(PICKUPS[page.pickup])}
          </p>
        </Part>
        <Part title="In my packs">
          {more.in_packs.map((one) => (
            <Row key={one.id}>
              <Link to={`/packs/${one.id}/assemble?mod=${page.slug}`}>{one.name}</Link>
              <span style={{ fontFamily: mono }}>{one.version}</span>
            </Row>
          ))}
          {more.in_packs.length === 0 && "In none yet."}
        </Part>
        {more.counterpart && (
          <Part title="Counterpart on another loader">
            <Link to={to(more.counterpart.mod)}>{more.counterpart.name}</Link>: {more.counterpart.what}
          </Part>
        )}
        <Part title={`Needed by ${more.needed_by_in_all || "nothing"}`}>
          {more.needed_by.map((one) => (
            <Row key={one.mod}>
              <Link to={to(one.mod)}>{one.name}</Link>
            </Row>
          ))}
        </Part>
        {more.touches.length > 0 && (
          <Part title="Touches the same files as">
            {more.touches.map((one) => (
              <Row key={one.mod}>
                <Link to={to(one.mod)}>{one.name}</Link>
                <span style={{ fontFamily: mono, overflowWrap: "anywhere" }}>{one.what}</span>
              </Row>
            ))}
          </Part>
        )}
        <Part title={`Carries ${many(more.carries_in_all, "file")}${more.version && ` in ${more.version}`}`}>
          {more.carries.map((one) => (
            <Row key={one.path}>
              <span style={{ fontFamily: mono, fontSize: "0.8rem", overflowWrap: "anywhere" }}>{one.path}</span>
              <span style={{ whiteSpace: "nowrap" }}>{bytes(one.size)}</span>
            </Row>
          ))}
          {more.carries_in_all > more.carries.length && `and ${more.carries_in_all - more.carries.length} more`}
        </Part>
      </Box>
    </Box>
  );
}

function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Box component="section" sx={{ fontSize: "0.9rem" }}>
      <Typography variant="h3" component="h2" sx={{ mb: 0.5 }}>
        {title}
      </Typography>
      {children}
    </Box>
  );
}

function Row({ children }: { children: ReactNode }) {
  return (
    <Box
      sx={{ display: "flex", justifyContent: "space-between", gap: 2, borderTop: 1, borderColor: "divider", py: 0.4 }}
    >
      {children}
    </Box>
  );
}

function BuildRow({ build, names }: { build: Shape["BuildOut"]; names: Record<string, string> }) {
  const loaders = Object.entries(build.loaders).map(([name, range]) => `${name} ${range === "*" ? "" : range}`.trim());
  return (
    <Box sx={{ borderTop: 1, borderColor: "divider", py: 0.75 }}>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "baseline", flexWrap: "wrap" }}>
        <strong style={{ fontFamily: mono }}>{build.version}</strong>
        {build.channel !== "stable" && <Box sx={{ color: "info.main" }}>{build.channel}</Box>}
        <Box sx={{ color: "text.secondary" }}>
          {[
            build.date && day(build.date),
            bytes(build.archive_size),
            `game ${build.games}`,
            loaders.join(" or "),
            build.side === "both" ? "" : SIDES[build.side],
            REACHES[build.reach],
          ]
            .filter(Boolean)
            .join(" · ")}
        </Box>
      </Box>
      <BuildSaid build={build} names={names} />
    </Box>
  );
}
