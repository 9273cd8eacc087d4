import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { answer, client, type Schemas } from "../../api/client";
import type { Run } from "../../api/queries";
import { useNotices } from "../../frame/Notices";
import { undoneWords, WROTE } from "./undone";

const ENDED = new Set(["done", "passed_by", "failed"]);

/** Undoing a run, and running it again: from the line that failed, or from the start. */
export function RunAgain({ run }: { run: Run }) {
  const queries = useQueryClient();
  const go = useNavigate();
  const { tell, fail } = useNotices();
  const [asks, setAsks] = useState(false);
  const wrote = !run.undone_at && run.lines.some((l) => WROTE.has(l.outcome));
  const [undoFirst, setUndoFirst] = useState(true);
  const path = { params: { path: { run_id: run.id } } };
  const undo = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/runs/{run_id}/undo", path)),
    onSuccess: (done) => {
      void queries.invalidateQueries();
      tell([undoneWords(done), ...done.kept].join(" "));
    },
    onError: fail,
  });
  const again = useMutation({
    mutationFn: (start: Schemas["AgainIn"]["start"]) =>
      answer(client.POST("/api/v1/runs/{run_id}/again", { ...path, body: { start, undo: start === "start" && wrote && undoFirst } })),
    onSuccess: (made) => {
      setAsks(false);
      void queries.invalidateQueries();
      if (made.run === run.id)
        tell(
          made.version === run.number
            ? "Running again from the failed line."
            : `Running again from the failed line, as version ${made.version}.`,
        );
      else {
        tell("Running again from the start.");
        void go(`/runs/${made.run}`);
      }
    },
    onError: fail,
  });
  return (
    <>
      {wrote && (
        <Button disabled={undo.isPending} onClick={() => undo.mutate()}>
          Undo
        </Button>
      )}
      {run.kind !== "try" && ENDED.has(run.state) && <Button onClick={() => setAsks(true)}>Run again from the start</Button>}
      {run.state === "failed" && (
        <Button variant="contained" disabled={again.isPending} onClick={() => again.mutate("failed")}>
          Run again from the failed line
        </Button>
      )}
      <Dialog open={asks} onClose={() => setAsks(false)}>
        <DialogTitle>Run again from the start?</DialogTitle>
        <DialogContent>
          <p>All lines run again with the original item and the current version.</p>
          {wrote && (
            <label>
              <input type="checkbox" checked={undoFirst} onChange={(event) => setUndoFirst(event.target.checked)} /> Undo this run first, to
              avoid duplicates
            </label>
          )}
        </DialogContent>
        <DialogActions>
          <Button onClick={() => setAsks(false)}>Cancel</Button>
          <Button variant="contained" disabled={again.isPending} onClick={() => again.mutate("start")}>
            Run again
          </Button>
        </DialogActions>
      </Dialog>
    </>
  );
}
