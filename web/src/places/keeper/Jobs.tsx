// Background jobs that wait, are under way or failed.
import Button from "@mui/material/Button";
import { api, told } from "../../api/client";
import { useChange } from "../../api/queries";
import { Empty, Loaded, RefusalRemark } from "../../parts/notices";
import { when } from "../../parts/words";
import { useJobs } from "./queries";
import { Table } from "./Table";

const STATES: Record<string, string> = { todo: "waits", doing: "● under way", failed: "▬ failed" };

export function Jobs() {
  const jobs = useJobs();
  const again = useChange(
    (job_id: number) => told(api.POST("/api/keeper/jobs/{job_id}/again", { params: { path: { job_id } } })),
    ["keeper", "jobs"],
  );
  return (
    <>
      <RefusalRemark error={again.error} />
      <Loaded query={jobs}>
        {(rows) =>
          rows.length ? (
            <Table
              label="Jobs"
              heads={["What", "About", "State", "Tries", "Last", ""]}
              rows={rows.map((one) => [
                String(one.id),
                [
                  one.what,
                  one.about,
                  STATES[one.status] ?? one.status,
                  one.attempts,
                  when(one.at),
                  one.status === "failed" && (
                    <Button key="again" size="small" onClick={() => again.mutate(one.id)}>
                      Begin again
                    </Button>
                  ),
                ],
              ])}
            />
          ) : (
            <Empty title="Nothing waits">All background work is done.</Empty>
          )
        }
      </Loaded>
    </>
  );
}
