import { Button, Dialog, DialogActions, DialogContent, DialogTitle, MenuItem, TextField } from "@mui/material";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { answer, client, said } from "../../api/client";
import { useApps, useConnections, useDatabases } from "../../api/queries";

/** Naming the workflow and its two ends already gives it half built. */
export function NewWorkflow({ onClose }: { onClose: () => void }) {
  const navigate = useNavigate();
  const connections = useConnections().data ?? [];
  const databases = useDatabases().data ?? [];
  const [name, setName] = useState("");
  const [from, setFrom] = useState("");
  const [to, setTo] = useState("");
  const apps = useApps().data ?? [];
  const chosen = connections.find((c) => String(c.id) === from);
  const app = apps.find((a) => a.code === chosen?.app);
  const make = useMutation({
    mutationFn: () =>
      answer(
        client.POST("/api/v1/workflows", { body: { name, connection: from ? Number(from) : null, database: to ? Number(to) : null } }),
      ),
    onSuccess: (made) => void navigate(`/workflows/${made.id}`),
  });
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          make.mutate();
        }}
      >
        <DialogTitle>New workflow</DialogTitle>
        <DialogContent>
          <TextField label="Name" value={name} autoFocus onChange={(e) => setName(e.target.value)} className="above-2" />
          <TextField
            select
            label={chosen ? `When ${app?.events[0]?.words ?? "something happens"} in` : "When an item arrives in"}
            value={from}
            onChange={(e) => setFrom(e.target.value)}
            className="above-4"
          >
            <MenuItem value="">a connection chosen later</MenuItem>
            {connections.map((c) => (
              <MenuItem key={c.id} value={String(c.id)}>
                {c.name} · {apps.find((a) => a.code === c.app)?.name}
              </MenuItem>
            ))}
          </TextField>
          <TextField select label="add a record to" value={to} onChange={(e) => setTo(e.target.value)} className="above-4">
            <MenuItem value="">a database chosen later, or made from a sample</MenuItem>
            {databases.map((d) => (
              <MenuItem key={d.id} value={String(d.id)}>
                {d.name}
              </MenuItem>
            ))}
          </TextField>
          {make.error && <div className="note bad">{said(make.error)}</div>}
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" disabled={!name.trim() || make.isPending}>
            Create
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
