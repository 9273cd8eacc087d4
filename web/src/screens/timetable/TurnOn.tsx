import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client, type Schemas } from "../../api/client";
import type { WorkflowDetail } from "../../api/queries";
import { useNotices } from "../../frame/Notices";
import { relative } from "../../parts/dates";
import type { Draft } from "./useDraft";

interface Props {
  workflow: WorkflowDetail;
  draft: Draft;
  findings: number;
}

/** Turning a workflow on and off; where something came while it was off, that is asked about. */
export function TurnOn({ workflow, draft, findings }: Props) {
  const { tell, fail } = useNotices();
  const queries = useQueryClient();
  const [missed, setMissed] = useState<{ count: number; since: string | null } | null>(null);
  const on = workflow.state === "on";
  const where = { params: { path: { workflow_id: workflow.id } } };
  const done = (now: WorkflowDetail) => {
    queries.setQueryData(["workflow", workflow.id], now);
    void queries.invalidateQueries({ queryKey: ["workflows"] });
    setMissed(null);
  };
  const turnOn = useMutation({
    mutationFn: async (carry_missed: boolean) => {
      if (!(await draft.flush())) throw new Error("The draft couldn’t be saved, so the workflow was not turned on.");
      return answer(client.POST("/api/v1/workflows/{workflow_id}/on", { ...where, body: { carry_missed } }));
    },
    onSuccess: (now, carried) => {
      done(now);
      tell(carried ? "Turned on. Items that arrived while this was off will run too." : "Turned on. New items will run from now on.");
    },
    onError: (error) => {
      setMissed(null);
      fail(error);
    },
  });
  const turnOff = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/workflows/{workflow_id}/off", where)),
    onSuccess: (now) => {
      done(now);
      tell("Turned off. New items aren’t processed.");
    },
    onError: fail,
  });
  const [warned, setWarned] = useState<Schemas["RunningOutOut"][]>([]);
  const askMissed = () => (workflow.turned_on_at && workflow.state === "off" ? ask.mutate() : turnOn.mutate(false));
  const weigh = useMutation({
    mutationFn: async () => {
      await draft.flush();
      return answer(client.GET("/api/v1/workflows/{workflow_id}/costs", where));
    },
    onSuccess: (found) => (found.length > 0 ? setWarned(found) : askMissed()),
    onError: askMissed, // turning on says why, if it cannot be done
  });
  const ask = useMutation({
    mutationFn: () => answer(client.GET("/api/v1/workflows/{workflow_id}/missed", where)),
    onSuccess: (found) => (found.count > 0 ? setMissed(found) : turnOn.mutate(false)),
    onError: () => turnOn.mutate(false), // what was missed cannot be told; turning on says why, if it cannot be done either
  });
  return (
    <>
      {on && workflow.changed_since_on && (
        <Button variant="contained" disabled={findings > 0 || weigh.isPending} onClick={() => weigh.mutate()}>
          Turn on this draft
        </Button>
      )}
      {on ? (
        <Button onClick={() => turnOff.mutate()}>Turn off</Button>
      ) : (
        <Button
          variant="contained"
          onClick={() => weigh.mutate()}
          disabled={turnOn.isPending || ask.isPending || weigh.isPending}
          title={findings ? `${findings} ${findings === 1 ? "problem" : "problems"} to fix first` : ""}
        >
          {workflow.state === "paused" ? "Resume" : "Turn on"}
        </Button>
      )}
      <Dialog open={warned.length > 0} onClose={() => setWarned([])}>
        <DialogTitle>A limit would be reached</DialogTitle>
        <DialogContent>
          {warned.map((one) => (
            <p key={one.sentence}>
              {one.sentence} {one.advice}
            </p>
          ))}
        </DialogContent>
        <DialogActions>
          <Button onClick={() => setWarned([])}>Cancel</Button>
          <Button
            variant="contained"
            onClick={() => {
              setWarned([]);
              askMissed();
            }}
          >
            Turn on anyway
          </Button>
        </DialogActions>
      </Dialog>
      <Dialog open={missed !== null} onClose={() => setMissed(null)}>
        <DialogTitle>
          {missed?.count === 1 ? "1 item" : `${missed?.count} items`} arrived while this was off
          {missed?.since && `, since ${relative(missed.since)}`}
        </DialogTitle>
        <DialogContent>Process them too? They run alongside new items, and can be undone together.</DialogContent>
        <DialogActions>
          <Button onClick={() => setMissed(null)}>Cancel</Button>
          <Button onClick={() => turnOn.mutate(false)}>Turn on, skip {missed?.count}</Button>
          <Button variant="contained" onClick={() => turnOn.mutate(true)}>
            Turn on, process {missed?.count}
          </Button>
        </DialogActions>
      </Dialog>
    </>
  );
}
