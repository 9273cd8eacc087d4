import { Button } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { answer, client, type Schemas } from "../../api/client";
import { useNotices } from "../../frame/Notices";
import { relative } from "../../parts/dates";
import { undoneWords } from "../runs/undone";

type Latest = Schemas["CatchUpOut"];
const WORDS: Record<Latest["state"], string> = { running: "Running", paused: "Held", done: "Done", undone: "Undone" };

/** How far a catch-up has come, with counts; it can be held, go on, and be undone. */
export function CatchUpProgress({ workflow, latest }: { workflow: number; latest: Latest }) {
  const queries = useQueryClient();
  const { tell, fail } = useNotices();
  const path = { workflow_id: workflow, catch_up_id: latest.id };
  const changed = () => void queries.invalidateQueries({ queryKey: ["workflow", workflow] });
  const change = useMutation({
    mutationFn: (what: "pause" | "resume") =>
      answer(client.POST("/api/v1/workflows/{workflow_id}/catch-up/{catch_up_id}/{what}", { params: { path: { ...path, what } } })),
    onSuccess: changed,
    onError: fail,
  });
  const undo = useMutation({
    mutationFn: () => answer(client.DELETE("/api/v1/workflows/{workflow_id}/catch-up/{catch_up_id}", { params: { path } })),
    onSuccess: (done) => {
      tell([undoneWords(done), ...done.kept.slice(0, 3)].join(" "));
      void queries.invalidateQueries();
    },
    onError: fail,
  });
  const over = latest.total - latest.to_come - latest.on_the_way;
  const added = latest.done - latest.there;
  const counts = [
    added > 0 && `${added} processed`,
    latest.there > 0 && `${latest.there} already existed`,
    latest.known > 0 && `${latest.known} already run`,
    latest.passed_by > 0 && `${latest.passed_by} skipped`,
    latest.failed > 0 && `${latest.failed} failed`,
  ].filter(Boolean);
  return (
    <div className="below-2">
      <div className="row wrapped">
        <span role="status">
          <b>{WORDS[latest.state]}</b>: {over} of {latest.total}
          {counts.length > 0 && ` · ${counts.join(", ")}`}{" "}
          <span className="quiet">
            · started {relative(latest.started_at)} by {latest.by}
          </span>
        </span>
        {latest.state === "running" && <Button onClick={() => change.mutate("pause")}>Pause</Button>}
        {latest.state === "paused" && <Button onClick={() => change.mutate("resume")}>Resume</Button>}
        {latest.state !== "undone" && (
          <Button onClick={() => undo.mutate()} disabled={undo.isPending}>
            Undo all
          </Button>
        )}
      </div>
      {latest.state === "running" && <progress aria-label="Catching up" className="w-all" max={latest.total} value={over} />}
      {latest.state === "paused" && latest.failed > 0 && (
        <div className="note">Paused because several runs failed. Open the failed runs, fix the problem, then resume.</div>
      )}
    </div>
  );
}
