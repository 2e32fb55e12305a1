// How much is kept, and by whom most of it.
import Typography from "@mui/material/Typography";
import { Loaded } from "../../parts/notices";
import { bytes, many } from "../../parts/words";
import { useStorage } from "./queries";
import { Table } from "./Table";

export function Storage() {
  const storage = useStorage();
  return (
    <Loaded query={storage}>
      {(page) => (
        <>
          <Typography sx={{ mb: 2 }}>
            The database takes {bytes(page.database_bytes)}; {many(page.files, "file")} of crews take{" "}
            {bytes(page.file_bytes)}.
          </Typography>
          <Table
            label="Crews by what they keep"
            heads={["Crew", "People", "Packs", "Files", "Bytes"]}
            rows={page.crews.map((one) => [one.name, [one.name, one.people, one.packs, one.files, bytes(one.bytes)]])}
          />
        </>
      )}
    </Loaded>
  );
}
