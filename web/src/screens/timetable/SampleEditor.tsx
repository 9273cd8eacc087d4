import { Button, Dialog, DialogActions, DialogContent, DialogTitle, TextField } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client, Problem, said } from "../../api/client";
import { type Sample, type Wire, useTypeOf } from "../../api/queries";
import type { Carried, CarriedList } from "./model";
import { SampleLists } from "./SampleLists";

interface Props {
  workflow: number;
  /** The sample to edit; none to create sample. */
  sample: Sample | null;
  fields: Carried[];
  lists: CarriedList[];
  /** What the app calls an item. */
  word: string;
  onClose: () => void;
}

/** Edit a sample, or create sample. It is marked so; the item in the app is not touched. */
export function SampleEditor({ workflow, sample, fields, lists, word, onClose }: Props) {
  const queries = useQueryClient();
  const typeOf = useTypeOf();
  const [values, setValues] = useState<Record<string, Wire>>(sample?.values ?? {});
  const [rows, setRows] = useState(sample?.lists ?? {});
  const save = useMutation({
    mutationFn: () =>
      answer(
        sample
          ? client.PUT("/api/v1/workflows/{workflow_id}/samples/{sample_id}", {
              params: { path: { workflow_id: workflow, sample_id: sample.id } },
              body: { values, lists: rows },
            })
          : client.POST("/api/v1/workflows/{workflow_id}/samples", {
              params: { path: { workflow_id: workflow } },
              body: { values, lists: rows },
            }),
      ),
    onSuccess: (samples) => {
      queries.setQueryData(["samples", workflow], samples);
      onClose();
    },
  });
  const forget = useMutation({
    mutationFn: () =>
      answer(
        client.DELETE("/api/v1/workflows/{workflow_id}/samples/{sample_id}", {
          params: { path: { workflow_id: workflow, sample_id: sample?.id ?? 0 } },
        }),
      ),
    onSuccess: (samples) => {
      queries.setQueryData(["samples", workflow], samples);
      onClose();
    },
  });
  const wrong = (save.error instanceof Problem ? save.error.more.fields : undefined) as Record<string, string> | undefined;

  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth>
      <DialogTitle>{sample ? "Edit sample" : "Create sample"}</DialogTitle>
      <DialogContent>
        <p className="quiet below-3">
          {sample ? `The ${word} itself doesn’t change. The sample is marked as edited.` : "It will be marked as made up."}
        </p>
        {fields.map((f) => (
          <TextField
            key={f.key}
            label={f.name.slice(1).join(" › ")}
            value={values[f.key] ?? ""}
            multiline={typeOf(f.type)?.is_long}
            maxRows={8}
            error={!!wrong?.[f.key]}
            helperText={wrong?.[f.key]}
            placeholder={typeOf(f.type)?.has_clock ? "23 Nov 2026, 17:02" : ""}
            className="above-2"
            onChange={(event) => setValues({ ...values, [f.key]: event.target.value || null })}
          />
        ))}
        <SampleLists lists={lists} rows={rows} onChange={setRows} />
        {save.error && !wrong && <div className="note bad">{said(save.error)}</div>}
      </DialogContent>
      <DialogActions>
        {sample && (
          <Button color="error" onClick={() => forget.mutate()} className="pull">
            Delete sample
          </Button>
        )}
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" onClick={() => save.mutate()} disabled={save.isPending}>
          Save
        </Button>
      </DialogActions>
    </Dialog>
  );
}
