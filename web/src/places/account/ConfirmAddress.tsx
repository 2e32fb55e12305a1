// The address in the mail that confirms an e-mail address. It asks before it does: mail programs open addresses, too.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { ask } from "../../api/account";
import { useChange } from "../../api/queries";
import { RefusalRemark, Remark } from "../../parts/notices";

export default function ConfirmAddress() {
  const { key = "" } = useParams();
  const [done, setDone] = useState(false);
  const confirm = useChange(() => ask("POST", "auth/email/verify", { key }), ["account"]);
  return (
    <Box sx={{ maxWidth: 460, mx: "auto", p: 3, display: "grid", gap: 2 }}>
      <Typography variant="h1">Confirm your address</Typography>
      {done ? (
        <Remark tone="primary">
          It is confirmed. <Link to="/">To my convoy</Link>
        </Remark>
      ) : (
        <>
          <Typography>A forgotten password has a way back by it then.</Typography>
          <RefusalRemark error={confirm.error} />
          <Button
            variant="contained"
            disabled={confirm.isPending}
            onClick={() => confirm.mutate(undefined, { onSuccess: () => setDone(true) })}
          >
            This is my address
          </Button>
        </>
      )}
    </Box>
  );
}
