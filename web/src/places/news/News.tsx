// One's news: what waits for its reader, what happened, and how it comes to them.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Typography from "@mui/material/Typography";
import { useEffect, useState } from "react";
import { Link as RouterLink } from "react-router";
import { api, type Shape, told } from "../../api/client";
import { newsBefore, useNews } from "../../api/outside";
import { useChange } from "../../api/queries";
import { Empty, Loaded } from "../../parts/notices";
import { clock, day, when } from "../../parts/words";
import { Wishes } from "./Wishes";

type Notice = Shape["NoticeOut"];

export default function News() {
  const news = useNews();
  const [older, setOlder] = useState<Notice[]>([]);
  const [more, setMore] = useState<boolean | null>(null);
  const see = useChange((until: number) => told(api.POST("/api/news/seen", { body: { until } })), ["news", "count"]);
  const newest = news.data && Math.max(0, ...[...news.data.needs, ...news.data.rows].map((one) => one.id));
  const seeAll = see.mutate;
  useEffect(() => {
    if (newest) seeAll(newest);
  }, [newest, seeAll]);
  return (
    <Box sx={{ maxWidth: 760, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      <Typography variant="h1" sx={{ mb: 2 }}>
        News
      </Typography>
      <Loaded query={news}>
        {(data) => {
          const rows = [...data.rows, ...older];
          return (
            <>
              {data.needs.length > 0 && (
                <Box component="section" sx={{ mb: 3 }}>
                  <Typography variant="h2">Waits for you</Typography>
                  <List rows={data.needs} />
                </Box>
              )}
              {rows.length === 0 ? (
                <Empty title="Nothing has happened yet">
                  Releases, departures and what concerns you in your crews are told here.
                </Empty>
              ) : (
                <Box component="section">
                  {data.needs.length > 0 && <Typography variant="h2">What happened</Typography>}
                  <List rows={rows} />
                </Box>
              )}
              {(more ?? data.more) && (
                <Button
                  size="small"
                  sx={{ mt: 1 }}
                  onClick={async () => {
                    const next = await newsBefore(rows[rows.length - 1].id);
                    setOlder([...older, ...next.rows]);
                    setMore(next.more);
                  }}
                >
                  Show older news
                </Button>
              )}
            </>
          );
        }}
      </Loaded>
      <Wishes />
    </Box>
  );
}

function List({ rows }: { rows: Notice[] }) {
  return (
    <Box component="ul" sx={{ listStyle: "none", p: 0, m: 0, borderBottom: 1, borderColor: "divider" }}>
      {rows.map((one) => (
        <Box
          component="li"
          key={one.id}
          sx={{ borderTop: 1, borderColor: "divider", py: 1, display: "flex", gap: 1.5 }}
        >
          <Box
            aria-label={one.needs ? "waits for you" : one.seen ? undefined : "new"}
            role={one.needs || !one.seen ? "img" : undefined}
            sx={{ width: 12, color: one.needs ? "warning.main" : "primary.main", flex: "none" }}
          >
            {one.needs ? "◆" : one.seen ? "" : "●"}
          </Box>
          <Box sx={{ minWidth: 0, flex: 1 }}>
            <Link
              component={RouterLink}
              to={one.address}
              color="inherit"
              sx={{ fontWeight: one.seen && !one.needs ? 400 : 600, overflowWrap: "anywhere" }}
            >
              {one.text}
            </Link>
            {one.when && (
              <Box sx={{ fontSize: "0.9rem" }}>
                {day(one.when)}, {clock(one.when)}
              </Box>
            )}
            <Box sx={{ fontSize: "0.85rem", color: "text.secondary" }}>
              {[one.crew, when(one.at)].filter(Boolean).join(" · ")}
            </Box>
            {one.more && (
              <Box component="details" sx={{ fontSize: "0.9rem", "& summary": { cursor: "pointer" } }}>
                <summary>The announcement</summary>
                <Box sx={{ whiteSpace: "pre-wrap", overflowWrap: "anywhere", mt: 0.5 }}>{one.more}</Box>
              </Box>
            )}
          </Box>
        </Box>
      ))}
    </Box>
  );
}
