import { Button, Dialog, DialogActions, DialogContent, DialogTitle, FormControlLabel, Radio, RadioGroup } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { answer, client, said } from "../../api/client";
import { useApp, useTargets, useRun, type Sample } from "../../api/queries";
import { RunCell } from "./outcomes";
import { RunState } from "./runState";
import { undoneWords, WROTE } from "../runs/undone";
import { RecordLink, type WroteRecord } from "../runs/RecordLink";
import { sentenceOf, undoneBy, viewOf } from "../../lines";
import { whenOf, type Document } from "./model";
import { depth } from "./nesting";

interface Props {
  workflow: number;
  document: Document;
  sample: Sample;
  line: string | null;
  /** Saves what is not saved yet. */
  flush: () => Promise<boolean>;
  /** Source and target are shown under the grid: they stay in sight. */
  docked: boolean;
  onClose: () => void;
}

/** Carry a sample through for real. Before it, each line says what it will write and how that can be undone. */
export function TryDialog({ workflow, document, sample, line, flush, docked, onClose }: Props) {
  const databases = useTargets();
  const app = useApp(whenOf(document).app);
  const alone = document.lines.find((l) => l.id === line && viewOf(l.verb).undone);
  const [only, setOnly] = useState("all");
  const [run, setRun] = useState<number | null>(null);
  const queries = useQueryClient();
  const carry = useMutation({
    mutationFn: async () => {
      if (!(await flush())) throw new Error("The draft couldn’t be saved, so nothing was tried.");
      return answer(
        client.POST("/api/v1/workflows/{workflow_id}/try", {
          params: { path: { workflow_id: workflow } },
          body: { sample: sample.id, only_line: only === "all" ? null : only },
        }),
      );
    },
    onSuccess: (made) => {
      setRun(made.run);
      void queries.invalidateQueries({ queryKey: ["runs"] });
    },
  });
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth hideBackdrop={docked} className={docked ? "at-top" : undefined}>
      <DialogTitle>Try with “{sample.title}”</DialogTitle>
      <DialogContent>
        {run === null ? (
          <>
            <table>
              <tbody>
                {document.lines.map((l, n) => {
                  const { verb, object } = sentenceOf(l, app, databases, document);
                  const undone = undoneBy(l, document, databases);
                  const writes = undone && (only === "all" || only === l.id);
                  return (
                    <tr key={l.id}>
                      <td style={{ paddingLeft: 10 + 16 * depth(document, l) }}>
                        <span className="no">{n + 1}</span>
                        <span className="verb">{verb}</span>
                        {object}
                      </td>
                      <td className={writes ? "" : "quiet"}>{writes ? `Writes; ${undone}` : undone ? "Not run" : "Reads only"}</td>
                    </tr>
                  );
                })}
              </tbody>
            </table>
            {alone && (
              <RadioGroup row value={only} onChange={(event) => setOnly(event.target.value)} aria-label="What to try">
                <FormControlLabel value="all" control={<Radio size="small" />} label="all lines" />
                <FormControlLabel
                  value={alone.id}
                  control={<Radio size="small" />}
                  label={`only line ${document.lines.indexOf(alone) + 1}`}
                />
              </RadioGroup>
            )}
            {carry.error && <div className="note bad">{said(carry.error)}</div>}
          </>
        ) : (
          <Result run={run} document={document} />
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>{run === null ? "Cancel" : "Close"}</Button>
        {run === null && (
          <Button variant="contained" autoFocus onClick={() => carry.mutate()} disabled={carry.isPending}>
            Run try
          </Button>
        )}
      </DialogActions>
    </Dialog>
  );
}

/** What a try did, as it happens, with the way to undo it. */
function Result({ run, document }: { run: number; document: Document }) {
  const detail = useRun(run).data;
  const queries = useQueryClient();
  const undo = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/runs/{run_id}/undo", { params: { path: { run_id: run } } })),
    onSuccess: () => void queries.invalidateQueries(),
  });
  if (!detail) return <p className="quiet">Running …</p>;
  const wrote = detail.run.lines.some((l) => WROTE.has(l.outcome));
  return (
    <>
      <p className="below-2">
        <RunState state={detail.run.state} /> <Link to={`/runs/${run}`}>Open run</Link>
      </p>
      <table>
        <tbody>
          {document.lines.map((l, n) => {
            const line = detail.run.lines.findLast((r) => r.line === l.id);
            const output = line?.output as WroteRecord | null | undefined;
            return (
              <tr key={l.id}>
                <td className="w-40">{n + 1}</td>
                <td>{line && <RunCell run={detail.run} line={l.id} />}</td>
                <td>{output?.record ? <RecordLink of={output}>Open in {output.database_name}</RecordLink> : null}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {detail.run.problem && <div className="note bad">{detail.run.problem}</div>}
      {detail.run.undone_at || undo.data ? (
        <div className="note good">
          Undone: {undo.data ? undoneWords(undo.data) : "all changes undone."} {undo.data?.kept.join(" ")}
        </div>
      ) : (
        wrote && (
          <p className="above-2">
            <Button onClick={() => undo.mutate()} disabled={undo.isPending}>
              Undo this try
            </Button>
          </p>
        )
      )}
      {undo.error && <div className="note bad">{said(undo.error)}</div>}
    </>
  );
}
