import { Button, Dialog, DialogActions, DialogContent, DialogTitle, TextField } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { answer, client, said } from "../../api/client";
import type { App } from "../../api/queries";

interface Props {
  app: App;
  /** The connection that gets another key; a new one is made otherwise. */
  connection: number | null;
  /** Where that connection leads, of an app with several servers. */
  at: string | null;
  onClose: () => void;
}

/** Connect an app by a key that was made there, or give a connection another one. What the app says of it leads to the next step. */
export function KeyDialog({ app, connection, at, onClose }: Props) {
  const [key, setKey] = useState("");
  const [server, setServer] = useState(at ?? app.address);
  const navigate = useNavigate();
  const queries = useQueryClient();
  const give = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/connections/key", { body: { app: app.code, key, connection, server } })),
    onSuccess: async ({ id }) => {
      await queries.invalidateQueries({ queryKey: ["connections"] });
      void navigate(`/connections/${id}`);
    },
  });
  const verb = connection === null ? `Connect ${app.name}` : "Replace key";
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth>
      <DialogTitle>{verb}</DialogTitle>
      <DialogContent>
        <p className="below-2">
          {app.key_help}{" "}
          <a href={`${server.replace(/\/+$/, "")}/${app.code}/keys`} target="_blank" rel="noreferrer">
            Open keys of {app.name}
          </a>
        </p>
        <form
          id="key"
          onSubmit={(event) => {
            event.preventDefault();
            if (key.trim()) give.mutate();
          }}
        >
          {app.has_servers && (
            <TextField
              label="Server"
              fullWidth
              className="below-2"
              disabled={connection !== null}
              value={server}
              onChange={(event) => setServer(event.target.value)}
              helperText={`The address where you use ${app.name}. Each server is a connection of its own.`}
            />
          )}
          <TextField
            label="Key"
            type="password"
            autoComplete="off"
            autoFocus
            fullWidth
            value={key}
            onChange={(event) => setKey(event.target.value)}
            helperText="The key is stored encrypted and never shown again."
          />
        </form>
        {give.error && (
          <div className="note bad" role="alert">
            {said(give.error)}
          </div>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" type="submit" form="key" disabled={!key.trim() || give.isPending}>
          {verb}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
