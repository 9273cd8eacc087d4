import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client, said, type Schemas } from "../../api/client";
import { TEXT_FIELD, type Database, type Field } from "../../api/queries";
import { useDeleting } from "../../parts/Deleting";
import { useRestoring } from "../trash/useTrash";
import { FieldRow, KeptText, type FieldChange } from "./FieldRow";
import { NewFieldForm } from "./NewFieldForm";

/** The name of a database and its fields: rename, require, set choices, order, remove (and bring back), add. */
export function FieldsDialog({ database, onClose }: { database: Database; onClose: () => void }) {
  const queries = useQueryClient();
  const [gone, setGone] = useState<{ name: string; entries: number[] }[]>([]);
  const [problem, setProblem] = useState("");
  const again = () => {
    setProblem("");
    void queries.invalidateQueries({ queryKey: ["databases"] });
    void queries.invalidateQueries({ queryKey: ["record"] });
  };
  const onError = (error: unknown) => setProblem(said(error));
  const here = { params: { path: { database_id: database.id } } };
  const place = (field: string) => ({ params: { path: { database_id: database.id, field_id: field } } });
  const add = useMutation({
    mutationFn: (field: Schemas["NewFieldIn"]) => answer(client.POST("/api/v1/databases/{database_id}/fields", { ...here, body: field })),
    onSuccess: again,
    onError,
  });
  const change = useMutation({
    mutationFn: ({ field, ...body }: FieldChange & { field: string }) =>
      answer(client.PATCH("/api/v1/databases/{database_id}/fields/{field_id}", { ...place(field), body })),
    onSuccess: again,
    onError,
  });
  const rename = useMutation({
    mutationFn: (name: string) => answer(client.PATCH("/api/v1/databases/{database_id}", { ...here, body: { name } })),
    onSuccess: again,
    onError,
  });
  const order = useMutation({
    mutationFn: (fields: string[]) => answer(client.PUT("/api/v1/databases/{database_id}/fields", { ...here, body: { fields } })),
    onSuccess: again,
    onError,
  });
  const restore = useRestoring();
  const { start, dialog } = useDeleting();
  const remove = (field: Field) =>
    start({
      name: field.name,
      run: async (anyway) => {
        const deleted = await answer(
          client.DELETE("/api/v1/databases/{database_id}/fields/{field_id}", { params: { ...place(field.id).params, query: { anyway } } }),
        );
        setGone((now) => [...now, { name: field.name, entries: deleted.entries }]);
        return deleted;
      },
    });
  const fields = database.fields.filter((f) => f.id !== TEXT_FIELD);
  /** Swap two neighbours; the title stays the first. */
  const move = (at: number, to: number) => {
    if (at < 1 || to < 1 || to >= fields.length) return undefined;
    const ids = fields.map((f) => f.id);
    [ids[at], ids[to]] = [ids[to] ?? "", ids[at] ?? ""];
    return () => order.mutate(ids);
  };
  return (
    <Dialog open onClose={onClose} maxWidth="md" fullWidth>
      <DialogTitle>Fields of {database.name}</DialogTitle>
      <DialogContent>
        <label className="row below-2 max-380">
          Name
          <KeptText label="Database name" value={database.name} onKeep={(name) => rename.mutate(name)} />
        </label>
        <div className="scroll">
          <table className="fields">
            <thead>
              <tr>
                <th>Name</th>
                <th className="w-112">Type</th>
                <th className="w-112">Required</th>
                <th>Choices</th>
                <th className="w-130" />
              </tr>
            </thead>
            <tbody>
              {fields.map((f, n) => (
                <FieldRow
                  key={f.id}
                  database={database}
                  field={f}
                  isTitle={n === 0}
                  onChange={(body) => change.mutate({ field: f.id, ...body })}
                  onMove={{ up: move(n, n - 1), down: move(n, n + 1) }}
                  onRemove={() => remove(f)}
                />
              ))}
            </tbody>
          </table>
        </div>
        {gone.map((f) => (
          <div className="note" key={f.entries[0]} role="status">
            {f.name} moved to the trash.{" "}
            <button
              className="link"
              onClick={() => restore.mutate(f.entries, { onSuccess: () => setGone((now) => now.filter((g) => g !== f)) })}
            >
              Restore {f.name}
            </button>
          </div>
        ))}
        <NewFieldForm
          database={database}
          busy={add.isPending}
          onAdd={(field) =>
            add.mutateAsync(field).then(
              () => true,
              () => false,
            )
          }
        />
        {problem && <div className="note bad">{problem}</div>}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Close</Button>
      </DialogActions>
      {dialog}
    </Dialog>
  );
}
