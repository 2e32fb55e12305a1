// A release as files: lists to read, and lists for other programs.
import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import Typography from "@mui/material/Typography";
import type { Shape } from "../../api/client";

type Form = Shape["Form"];

const FORMS: { form: Form; name: string; about: string; sided?: boolean }[] = [
  { form: "page", name: "A page to print", about: "HTML: what is in it, with pages and licences." },
  { form: "text", name: "A text to paste", about: "Markdown, for wherever the crew talks." },
  { form: "table", name: "A table", about: "CSV: a row for each mod, for spreadsheets." },
  { form: "parts", name: "A list of parts", about: "CycloneDX 1.6: hashes and licences, for inventories." },
  {
    form: "downloads",
    name: "Downloads",
    about: "Metalink 4: what any program may fetch, with its hash.",
    sided: true,
  },
  {
    form: "checksums",
    name: "Checksums",
    about: "SHA256SUMS: laid in an installation, it says what is missing or altered there.",
    sided: true,
  },
];

const address = (packId: string, number: string, form: Form, side: string) =>
  `/api/packs/${packId}/releases/${encodeURIComponent(number)}/list/${form}?side=${side}`;

export function TakeAlong({ packId, number }: { packId: string; number: string }) {
  return (
    <Box component="section" sx={{ mt: 4 }}>
      <Typography variant="h2">Take it along</Typography>
      <Box component="ul" sx={{ listStyle: "none", m: 0, p: 0 }}>
        {FORMS.map(({ form, name, about, sided }) => (
          <Box component="li" key={form} sx={{ borderTop: 1, borderColor: "divider", py: 0.75, fontSize: "0.92rem" }}>
            <Link href={address(packId, number, form, "player")} download>
              {name}
            </Link>
            {sided && (
              <>
                {" · "}
                <Link href={address(packId, number, form, "server")} download aria-label={`${name}, for the server`}>
                  for the server
                </Link>
              </>
            )}
            <Box sx={{ color: "text.secondary", fontSize: "0.88rem" }}>{about}</Box>
          </Box>
        ))}
      </Box>
    </Box>
  );
}
