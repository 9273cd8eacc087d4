import { Button, Dialog, DialogActions, DialogContent, DialogTitle, MenuItem, TextField } from "@mui/material";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client, said, type Schemas } from "../api/client";

const ORDERS = [
  ["", "Ask each time"],
  ["DMY", "Day first: 1 February"],
  ["MDY", "Month first: January 2"],
] as const;

/** How the workspace writes, where its owner is told what needs them, and how long it keeps what runs carried. */
export function WorkspaceDialog({ me, onClose }: { me: Schemas["Me"]; onClose: () => void }) {
  const queries = useQueryClient();
  const [kept, setKept] = useState({ ...me, date_order: me.date_order ?? "", email: me.email ?? "" });
  const set = (change: Partial<typeof kept>) => setKept({ ...kept, ...change });
  const days = (text: string) => Math.max(0, Math.round(Number(text) || 0));
  const languages =
    useQuery({ queryKey: ["languages"], queryFn: () => answer(client.GET("/api/v1/languages")), staleTime: Infinity }).data ?? [];
  const save = useMutation({
    mutationFn: () =>
      answer(
        client.PUT("/api/v1/workspace", {
          body: {
            language: kept.language,
            timezone: kept.timezone.trim(),
            date_order: kept.date_order === "DMY" || kept.date_order === "MDY" ? kept.date_order : null,
            email: kept.email.trim() || null,
            keep_content_days: kept.keep_content_days,
            keep_runs_days: kept.keep_runs_days,
          },
        }),
      ),
    onSuccess: async (now) => {
      queries.setQueryData(["me"], now);
      await queries.invalidateQueries({ queryKey: ["rehearsal"] });
      onClose();
    },
  });
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth>
      <DialogTitle>Workspace</DialogTitle>
      <DialogContent>
        <p className="below-3">Language, dates and limits for everyone in this workspace.</p>
        <div className="stacked">
          <TextField select label="Language" value={kept.language} onChange={(event) => set({ language: event.target.value })}>
            {(languages.length ? languages : [{ code: kept.language, name: kept.language }]).map((l) => (
              <MenuItem key={l.code} value={l.code}>
                {l.name}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            label="Time zone"
            value={kept.timezone}
            onChange={(event) => set({ timezone: event.target.value })}
            helperText="for example Europe/London"
          />
          <TextField
            select
            label="Read 01/02/2026 as"
            value={kept.date_order}
            onChange={(event) => set({ date_order: event.target.value })}
          >
            {ORDERS.map(([code, words]) => (
              <MenuItem key={code} value={code}>
                {words}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            label="Email me when something needs me"
            type="email"
            value={kept.email}
            onChange={(event) => set({ email: event.target.value })}
            helperText="At most hourly per cause. Leave empty for none."
          />
          <div className="row">
            <TextField
              fullWidth
              label="Keep run content (days)"
              type="number"
              value={kept.keep_content_days}
              onChange={(event) => set({ keep_content_days: days(event.target.value) })}
            />
            <TextField
              fullWidth
              label="Keep runs (days)"
              type="number"
              value={kept.keep_runs_days}
              onChange={(event) => set({ keep_runs_days: days(event.target.value) })}
            />
          </div>
        </div>
        {save.isError && <p className="bad">! {said(save.error)}</p>}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" onClick={() => save.mutate()} disabled={save.isPending}>
          Save
        </Button>
      </DialogActions>
    </Dialog>
  );
}
