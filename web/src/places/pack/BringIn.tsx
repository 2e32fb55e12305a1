// Ways in beside the finder: a menu of them, and the whole stage as a place where files and folders can be dropped.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import { type ReactNode, useRef, useState } from "react";
import { filesOf, type ListedFile } from "../../api/files";

/** What was given: files to be looked through, or a folder (its files, a listing, a ZIP; nothing: it is asked for). */
export type Given =
  | { what: "many" }
  | { what: "files"; files: File[] }
  | { what: "folder"; given?: ListedFile[] | Blob };

const LISTING = /\.json$|^sha256sums/i;

export function BringIn({ paste, give }: { paste: () => void; give: (given: Given) => void }) {
  const [at, setAt] = useState<HTMLElement | null>(null);
  const files = useRef<HTMLInputElement>(null);
  const then = (what: () => void) => () => {
    setAt(null);
    what();
  };
  return (
    <>
      <Button
        size="small"
        sx={{ flex: "none" }}
        aria-haspopup="menu"
        aria-expanded={!!at}
        onClick={(event) => setAt(event.currentTarget)}
      >
        Bring in
      </Button>
      {/* What is chosen here takes the focus itself. */}
      <Menu anchorEl={at} open={!!at} onClose={() => setAt(null)} disableRestoreFocus>
        <MenuItem onClick={then(paste)}>A list of links or names</MenuItem>
        <MenuItem onClick={then(() => files.current?.click())}>Files from my disk</MenuItem>
        <MenuItem onClick={then(() => give({ what: "many" }))}>Many archives, as the crew's own builds</MenuItem>
        <MenuItem onClick={then(() => give({ what: "folder" }))}>A folder that is already filled</MenuItem>
      </Menu>
      <input
        ref={files}
        type="file"
        multiple
        hidden
        data-give-files
        onChange={(event) => {
          const chosen = [...(event.target.files ?? [])];
          event.target.value = "";
          if (chosen.length) give({ what: "files", files: chosen });
        }}
      />
    </>
  );
}

export function DropPlace({
  may,
  give,
  children,
}: {
  may: boolean;
  give: (given: Given) => void;
  children: ReactNode;
}) {
  const [over, setOver] = useState(false);
  const carries = (event: React.DragEvent) => may && event.dataTransfer.types.includes("Files");
  return (
    <Box
      sx={{ display: "flex", flexDirection: "column", height: "100%", position: "relative" }}
      onDragOver={(event) => {
        if (!carries(event)) return;
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={(event) => {
        if (!event.currentTarget.contains(event.relatedTarget as Node | null)) setOver(false);
      }}
      onDrop={async (event) => {
        setOver(false);
        if (!carries(event) || event.defaultPrevented) return;
        event.preventDefault();
        const { files, folder } = await filesOf(event.dataTransfer.items);
        if (folder.length) give({ what: "folder", given: folder });
        else if (files.length === 1 && LISTING.test(files[0].name)) give({ what: "folder", given: files[0] });
        else if (files.length) give({ what: "files", files });
      }}
    >
      {children}
      {over && (
        <Box
          sx={{
            position: "absolute",
            inset: 8,
            zIndex: "modal",
            pointerEvents: "none",
            display: "grid",
            placeItems: "center",
            border: "2px dashed",
            borderColor: "primary.main",
            bgcolor: "background.paper",
            opacity: 0.94,
            textAlign: "center",
          }}
        >
          <span>
            <strong>Let go here.</strong> Archives are recognised, or become the crew's own builds. A folder, or a
            listing of one, is taken over.
          </span>
        </Box>
      )}
    </Box>
  );
}
