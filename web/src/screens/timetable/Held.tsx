import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client } from "../../api/client";
import type { WorkflowDetail } from "../../api/queries";
import { useNotices } from "../../frame/Notices";
import { relative } from "../../parts/dates";

/** What arrived and is held, since the workflow is paused or the workspace is at a limit; only a person drops it. */
export function Held({ workflow, itemsWord }: { workflow: WorkflowDetail; itemsWord: string }) {
  const { tell, fail } = useNotices();
  const queries = useQueryClient();
  const [asks, setAsks] = useState(false);
  const held = workflow.held;
  const drop = useMutation({
    mutationFn: () => answer(client.DELETE("/api/v1/workflows/{workflow_id}/held", { params: { path: { workflow_id: workflow.id } } })),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["workflow", workflow.id] });
      tell("Held items deleted.");
    },
    onError: fail,
    onSettled: () => setAsks(false),
  });
  if (!held) return null;
  const count = held.count.toLocaleString("en-GB");
  const what = held.count === 1 ? `1 item is held` : `${count} ${itemsWord} are held`;
  return (
    <div className="note row">
      <span className="grow">
        <b>{what}</b>, the oldest from {relative(held.since)}. {held.why}
      </span>
      <button className="link" onClick={() => setAsks(true)}>
        Delete held items
      </button>
      <Dialog open={asks} onClose={() => setAsks(false)}>
        <DialogTitle>Delete {held.count === 1 ? "1 held item" : `${count} held items`}?</DialogTitle>
        <DialogContent>They will not run, and this can’t be undone. The source keeps its own copies.</DialogContent>
        <DialogActions>
          <Button onClick={() => setAsks(false)}>Cancel</Button>
          <Button color="error" variant="contained" disabled={drop.isPending} onClick={() => drop.mutate()}>
            Delete
          </Button>
        </DialogActions>
      </Dialog>
    </div>
  );
}
