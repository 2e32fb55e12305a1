// How news comes by mail, for all packs and for each; and the secret addresses for readers of feeds.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Typography from "@mui/material/Typography";
import { Link as RouterLink } from "react-router";
import { api, type Shape, told } from "../../api/client";
import { useWishes } from "../../api/outside";
import { useChange } from "../../api/queries";
import { Copy } from "../../parts/Copy";
import { Loaded, RefusalRemark, Remark } from "../../parts/notices";
import { Pick } from "../../parts/Pick";
import { mono } from "../../theme";

type Mailed = Shape["Mailed"];

const WAYS: { value: Mailed; name: string }[] = [
  { value: "at-once", name: "at once" },
  { value: "daily", name: "once a day" },
  { value: "never", name: "not by mail" },
];

export function Wishes() {
  const wishes = useWishes();
  const wish = useChange(
    (asked: { pack: string | null; mail: Mailed | null }) => told(api.PUT("/api/news/wishes", { body: asked })),
    ["news", "wishes"],
  );
  return (
    <Box component="section" sx={{ mt: 5 }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        How it comes to you
      </Typography>
      <Loaded query={wishes} rows={3}>
        {(said) => (
          <>
            {!said.sends && <Remark tone="info">This site sends no mail. News waits for you here.</Remark>}
            {said.sends && !said.address && (
              <Remark tone="info" live={false}>
                No address of yours is confirmed, so nothing is mailed.{" "}
                <Link component={RouterLink} to="/account">
                  Give one
                </Link>
              </Remark>
            )}
            <Box sx={{ maxWidth: 260, my: 2 }}>
              <Pick
                label="All packs"
                value={said.mail ?? ""}
                options={[{ value: "", name: "as the crew has it, or once a day" }, ...WAYS]}
                onChange={(mail) => wish.mutate({ pack: null, mail: (mail || null) as Mailed | null })}
              />
            </Box>
            <Typography variant="body2" sx={{ color: "text.secondary", mb: 1 }}>
              What waits for you comes at once, unless you want no mail at all.
            </Typography>
            <RefusalRemark error={wish.error} />
            {said.packs.map((one) => (
              <OnePack key={one.pack} one={one} wish={(mail) => wish.mutate({ pack: one.pack, mail })} />
            ))}
          </>
        )}
      </Loaded>
    </Box>
  );
}

function OnePack({ one, wish }: { one: Shape["PackWishOut"]; wish: (mail: Mailed | null) => void }) {
  const path = { pack_id: one.pack };
  const make = useChange(() => told(api.POST("/api/packs/{pack_id}/feed", { params: { path } })), ["news", "wishes"]);
  const end = useChange(() => told(api.DELETE("/api/packs/{pack_id}/feed", { params: { path } })), ["news", "wishes"]);
  return (
    <Box sx={{ borderTop: 1, borderColor: "divider", py: 1.25 }}>
      <Box sx={{ display: "flex", gap: 2, alignItems: "center", flexWrap: "wrap" }}>
        <Box sx={{ flex: 1, minWidth: 160 }}>
          <strong>{one.name}</strong>
          <Box sx={{ fontSize: "0.85rem", color: "text.secondary" }}>{one.crew}</Box>
        </Box>
        <Box sx={{ width: 170 }}>
          <Pick
            label={`Mail of ${one.name}`}
            value={one.mail ?? ""}
            options={[{ value: "", name: "as for all" }, ...WAYS]}
            onChange={(mail) => wish((mail || null) as Mailed | null)}
          />
        </Box>
        <Button size="small" disabled={make.isPending} onClick={() => make.mutate(undefined)} sx={{ minWidth: 150 }}>
          {one.feed ? "Make another feed" : "Make a feed"}
        </Button>
      </Box>
      {one.feed && (
        <Box sx={{ mt: 1, fontSize: "0.85rem" }}>
          <Box sx={{ fontFamily: mono, overflowWrap: "anywhere" }}>{one.feed}</Box>
          <Box sx={{ color: "text.secondary" }}>
            For your feed reader (Atom). Whoever has this address reads along; it ends when you leave the crew.
            <Copy text={one.feed} />
            <Button size="small" color="error" onClick={() => end.mutate(undefined)}>
              End it
            </Button>
          </Box>
        </Box>
      )}
      <RefusalRemark error={make.error ?? end.error} />
    </Box>
  );
}
