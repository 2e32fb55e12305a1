// What keepers and owners did, the newest first.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { Empty, Loaded } from "../../parts/notices";
import { clock, day } from "../../parts/words";
import { useAudit } from "./queries";
import { Table } from "./Table";

export function Audit() {
  const [page, setPage] = useState(1);
  const audit = useAudit(page);
  return (
    <Loaded query={audit}>
      {(found) =>
        found.rows.length ? (
          <>
            <Table
              label="What was done"
              heads={["When", "Who", "What", "Crew"]}
              rows={found.rows.map((one) => [
                `${one.at} ${one.did}`,
                [`${day(one.at)} ${clock(one.at)}`, one.who, one.did, one.crew],
              ])}
            />
            <Box sx={{ mt: 1 }}>
              <Button size="small" disabled={page === 1} onClick={() => setPage(page - 1)}>
                Newer
              </Button>
              <Button size="small" disabled={!found.more} onClick={() => setPage(page + 1)}>
                Older
              </Button>
            </Box>
          </>
        ) : (
          <Empty title="Nothing yet">What owners of crews and keepers do is written down here.</Empty>
        )
      }
    </Loaded>
  );
}
