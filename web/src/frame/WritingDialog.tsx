import { Button, Dialog, DialogActions, DialogContent, DialogTitle, MenuItem, TextField } from "@mui/material";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client, said, type Schemas } from "../api/client";

const ORDERS = [
  ["", "ask each time"],
  ["DMY", "day first: 1 February"],
  ["MDY", "month first: January 2"],
] as const;

/** How the workspace writes: its language, its time zone, and how 01/02/2026 is read. */
export function WritingDialog({ me, onClose }: { me: Schemas["Me"]; onClose: () => void }) {
  const queries = useQueryClient();
  const [language, setLanguage] = useState(me.language);
  const [timezone, setTimezone] = useState(me.timezone);
  const [order, setOrder] = useState(me.date_order ?? "");
  const languages = useQuery({ queryKey: ["languages"], queryFn: () => answer(client.GET("/api/v1/languages")), staleTime: Infinity }).data ?? [];
  const save = useMutation({
    mutationFn: () =>
      answer(client.PUT("/api/v1/workspace", { body: { language, timezone: timezone.trim(), date_order: order === "DMY" || order === "MDY" ? order : null } })),
    onSuccess: async (kept) => {
      queries.setQueryData(["me"], kept);
      await queries.invalidateQueries({ queryKey: ["rehearsal"] });
      onClose();
    },
  });
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth>
      <DialogTitle>Language and dates</DialogTitle>
      <DialogContent>
        <p style={{ marginBottom: 12 }}>How this workspace writes dates and numbers, for everyone in it.</p>
        <div style={{ display: "grid", gap: 14 }}>
          <TextField select label="Language" value={language} onChange={(event) => setLanguage(event.target.value)}>
            {(languages.length ? languages : [{ code: language, name: language }]).map((l) => (
              <MenuItem key={l.code} value={l.code}>
                {l.name}
              </MenuItem>
            ))}
          </TextField>
          <TextField label="Time zone" value={timezone} onChange={(event) => setTimezone(event.target.value)} helperText="for example Europe/London" />
          <TextField select label="How 01/02/2026 is read" value={order} onChange={(event) => setOrder(event.target.value)}>
            {ORDERS.map(([code, words]) => (
              <MenuItem key={code} value={code}>
                {words}
              </MenuItem>
            ))}
          </TextField>
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
