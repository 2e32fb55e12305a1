// What a place shows when it has nothing yet, cannot be read, or was refused. Every screen uses these.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Skeleton from "@mui/material/Skeleton";
import Typography from "@mui/material/Typography";
import type { UseQueryResult } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { Refused } from "../api/client";

type Tone = "error" | "warning" | "info" | "primary";

/** A remark with a rule at its side: a refusal, a warning, an answer. Announced to screen readers when it appears. */
export function Remark({ tone, children, live = true }: { tone: Tone; children: ReactNode; live?: boolean }) {
  return (
    <Box
      role={live ? (tone === "error" ? "alert" : "status") : undefined}
      sx={{
        borderLeft: 4,
        borderColor: `${tone}.main`,
        bgcolor: "background.paper",
        px: 1.5,
        py: 1,
        fontSize: "0.9rem",
        overflowWrap: "anywhere",
      }}
    >
      {children}
    </Box>
  );
}

export function RefusalRemark({ error }: { error: Refused | Error | null }) {
  if (!error) return null;
  const meanwhile = error instanceof Refused ? (error.told.data?.meanwhile as string[] | undefined) : undefined;
  if (!(error instanceof Refused))
    return <Remark tone="error">Something went wrong on this page. Load it again.</Remark>;
  return (
    <Remark tone="error">
      <strong>{error.told.what}</strong> {!meanwhile && error.told.why} {error.told.now}
      {Object.entries(error.told.fields ?? {}).map(([field, message]) => (
        <div key={field}>
          {field}: {message}
        </div>
      ))}
      {meanwhile && (
        <ul style={{ margin: "4px 0 0", paddingLeft: 18 }}>
          {meanwhile.map((one) => (
            <li key={one}>{one}</li>
          ))}
        </ul>
      )}
    </Remark>
  );
}

export function Empty({ title, children, action }: { title: string; children?: ReactNode; action?: ReactNode }) {
  return (
    <Box sx={{ p: 3, color: "text.secondary", maxWidth: 520 }}>
      <Typography variant="h3" component="p" color="text.primary" sx={{ mb: 0.5 }}>
        {title}
      </Typography>
      <Typography variant="body2">{children}</Typography>
      {action && <Box sx={{ mt: 1.5 }}>{action}</Box>}
    </Box>
  );
}

/** Shows a query's data, or what stands in its place. `rows` keeps room while it loads, so that nothing jumps. */
export function Loaded<T>({
  query,
  rows = 6,
  children,
}: {
  query: UseQueryResult<T, Error>;
  rows?: number;
  children: (data: T) => ReactNode;
}) {
  if (query.data !== undefined) {
    return (
      <>
        {query.isError && (
          <Remark tone="warning">This may be out of date: {query.error.message} Shown is what was read last.</Remark>
        )}
        {children(query.data)}
      </>
    );
  }
  if (query.isError) return <Unreadable error={query.error} retry={() => query.refetch()} />;
  return (
    <Box aria-busy="true" aria-label="Loading" role="status" sx={{ p: 1 }}>
      {Array.from({ length: rows }, (_, index) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: placeholders have no identity
        <Skeleton key={index} height={32} animation={false} />
      ))}
    </Box>
  );
}

function Unreadable({ error, retry }: { error: Error; retry: () => void }) {
  const refused = error instanceof Refused ? error : null;
  if (refused?.status === 401) {
    const back = encodeURIComponent(window.location.pathname + window.location.search);
    return (
      <Empty
        title="You are not signed in"
        action={
          <Button variant="contained" component={Link} to={`/sign-in?next=${back}`}>
            Sign in
          </Button>
        }
      >
        This page belongs to a crew. Sign in, and you come back to it.
      </Empty>
    );
  }
  return (
    <Empty
      title={refused?.told.what ?? "This page cannot be shown"}
      action={
        <Button variant="outlined" onClick={retry}>
          Try again
        </Button>
      }
    >
      {refused ? `${refused.told.why} ${refused.told.now}` : "Something went wrong on this page."}
    </Empty>
  );
}
