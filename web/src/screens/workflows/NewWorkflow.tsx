import { Button, Dialog, DialogActions, DialogContent, DialogTitle, MenuItem, TextField } from "@mui/material";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { answer, client, said } from "../../api/client";
import { useApps, useConnections, useTargets } from "../../api/queries";
import { fullName } from "../../lines/databaseWords";
import { eventsOf, OWN_TRIGGERS } from "../../lines/when/triggers";
import type { Own } from "../timetable/model";

const SHOWN = { select: { displayEmpty: true } } as const; // also what stands for nothing chosen

/** Naming the workflow, what starts it and where it writes already gives it half built. */
export function NewWorkflow({ onClose }: { onClose: () => void }) {
  const navigate = useNavigate();
  const connections = useConnections().data ?? [];
  const targets = useTargets();
  const databases = targets.filter((d) => !d.outside);
  const apps = useApps().data ?? [];
  const [name, setName] = useState("");
  const [picked, setPicked] = useState("");
  const [from, setFrom] = useState("");
  const [to, setTo] = useState("");
  const first = apps.find((a) => connections.some((c) => c.app === a.code)) ?? apps[0];
  const trigger = picked || (first ? `${first.code} ${first.events[0]?.code ?? ""}` : "added");
  const own = OWN_TRIGGERS[trigger];
  const [code = "", event = ""] = own ? [] : trigger.split(" ");
  const reached = connections.filter((c) => c.app === code);
  const connection = reached.find((c) => String(c.id) === from) ?? (reached.length === 1 ? reached[0] : undefined);
  const begun = own?.begin() ?? null;
  const starts: Own | null = begun?.kind === "record" && from ? { ...begun, database: Number(from) } : begun;
  const make = useMutation({
    mutationFn: () =>
      answer(
        client.POST("/api/v1/workflows", {
          body: {
            name,
            database: to ? Number(to) : null,
            app: code || null,
            event: event || null,
            connection: connection?.id ?? null,
            container_name: "",
            own: starts,
          },
        }),
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
        <DialogContent className="stacked">
          <TextField label="Name" value={name} autoFocus onChange={(e) => setName(e.target.value)} className="above-2" />
          <TextField
            select
            label="Starts when"
            value={trigger}
            onChange={(e) => {
              setPicked(e.target.value);
              setFrom("");
            }}
          >
            {apps.flatMap((a) =>
              eventsOf(a, false).map((e) => (
                <MenuItem key={`${a.code} ${e.code}`} value={`${a.code} ${e.code}`}>
                  {a.name}: {e.words}
                </MenuItem>
              )),
            )}
            {Object.entries(OWN_TRIGGERS).map(([key, { words }]) => (
              <MenuItem key={key} value={key}>
                {words}
              </MenuItem>
            ))}
          </TextField>
          {!own && (
            <TextField
              select
              slotProps={SHOWN}
              label="Connection"
              value={connection ? String(connection.id) : ""}
              onChange={(e) => setFrom(e.target.value)}
            >
              <MenuItem value="">Choose later</MenuItem>
              {reached.map((c) => (
                <MenuItem key={c.id} value={String(c.id)}>
                  {c.name}
                </MenuItem>
              ))}
            </TextField>
          )}
          {own?.ofDatabase && (
            <TextField select slotProps={SHOWN} label="Records of" value={from} onChange={(e) => setFrom(e.target.value)}>
              <MenuItem value="">Choose later</MenuItem>
              {databases.map((d) => (
                <MenuItem key={d.id} value={String(d.id)}>
                  {d.name}
                </MenuItem>
              ))}
            </TextField>
          )}
          <TextField select slotProps={SHOWN} label="Add a record to" value={to} onChange={(e) => setTo(e.target.value)}>
            <MenuItem value="">{own ? "Choose later" : "Choose later, or create from a sample"}</MenuItem>
            {targets.map((d) => (
              <MenuItem key={d.id} value={String(d.id)}>
                {fullName(d)}
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
