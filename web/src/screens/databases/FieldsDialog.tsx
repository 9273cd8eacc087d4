import { Button, Checkbox, Dialog, DialogActions, DialogContent, DialogTitle, MenuItem, TextField } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client, said } from "../../api/client";
import { TEXT_FIELD, useDatabases, useFieldTypes, useTypeOf, type Database, type Field } from "../../api/queries";
import { useDeleting } from "../../parts/Deleting";
import { useRestoring } from "../trash/useTrash";

/** The fields of a database: rename, require, set choices, take away (and bring back), add. */
export function FieldsDialog({ database, onClose }: { database: Database; onClose: () => void }) {
  const queries = useQueryClient();
  const { data: types } = useFieldTypes();
  const typeOf = useTypeOf();
  const chosenFrom = (code: string) => !!typeOf(code)?.has_choices;
  const [gone, setGone] = useState<{ name: string; entries: number[] }[]>([]);
  const [name, setName] = useState("");
  const [type, setType] = useState("text");
  const [choices, setChoices] = useState("");
  const [refersTo, setRefersTo] = useState(0);
  const [backName, setBackName] = useState("");
  const databases = useDatabases().data ?? [];
  const refers = !!typeOf(type)?.refers;
  const [problem, setProblem] = useState("");
  const again = () => {
    setProblem("");
    void queries.invalidateQueries({ queryKey: ["databases"] });
    void queries.invalidateQueries({ queryKey: ["record"] });
  };
  const onError = (error: unknown) => setProblem(said(error));
  const place = (field: string) => ({ params: { path: { database_id: database.id, field_id: field } } });
  const split = (text: string) =>
    text
      .split(",")
      .map((c) => c.trim())
      .filter(Boolean);
  const add = useMutation({
    mutationFn: () =>
      answer(
        client.POST("/api/v1/databases/{database_id}/fields", {
          params: { path: { database_id: database.id } },
          body: {
            name,
            type,
            required: false,
            choices: chosenFrom(type) ? split(choices) : [],
            grows: false,
            refers_to: refers ? refersTo || null : null,
            back_name: backName,
          },
        }),
      ),
    onSuccess: () => {
      setName("");
      setChoices("");
      setBackName("");
      again();
    },
    onError,
  });
  const change = useMutation({
    mutationFn: ({ field, ...body }: { field: string; name?: string; required?: boolean; choices?: string[]; grows?: boolean }) =>
      answer(client.PATCH("/api/v1/databases/{database_id}/fields/{field_id}", { ...place(field), body })),
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
  return (
    <Dialog open onClose={onClose} maxWidth="md" fullWidth>
      <DialogTitle>Fields of {database.name}</DialogTitle>
      <DialogContent>
        <table>
          <thead>
            <tr>
              <th>Name</th>
              <th className="w-112">Type</th>
              <th className="w-112">Must be filled</th>
              <th>Choices</th>
              <th className="w-84" />
            </tr>
          </thead>
          <tbody>
            {database.fields
              .filter((f) => f.id !== TEXT_FIELD)
              .map((f, n) => (
                <tr key={f.id}>
                  <td>
                    <KeptText label={`Name of ${f.name}`} value={f.name} onKeep={(v) => change.mutate({ field: f.id, name: v })} />
                  </td>
                  <td>
                    {typeOf(f.type)?.name}
                    {f.refers_to != null && <small className="quiet block">{databases.find((d) => d.id === f.refers_to)?.name}</small>}
                  </td>
                  <td>
                    <Checkbox
                      className="tight"
                      checked={f.required}
                      disabled={n === 0}
                      slotProps={{ input: { "aria-label": `${f.name} is required` } }}
                      onChange={(e) => change.mutate({ field: f.id, required: e.target.checked })}
                    />
                  </td>
                  <td>
                    {chosenFrom(f.type) && (
                      <>
                        <KeptText
                          label={`${typeOf(f.type)?.has_many ? "Labels" : "Choices"} of ${f.name}`}
                          value={f.choices.map((c) => c.name).join(", ")}
                          onKeep={(v) => change.mutate({ field: f.id, choices: split(v) })}
                        />
                        <label className="quiet block">
                          <Checkbox
                            className="tight"
                            checked={f.grows}
                            onChange={(e) => change.mutate({ field: f.id, grows: e.target.checked })}
                          />{" "}
                          what is written may add {typeOf(f.type)?.has_many ? "labels" : "choices"}
                        </label>
                      </>
                    )}
                  </td>
                  <td>
                    {n > 0 && (
                      <button className="link" onClick={() => remove(f)} aria-label={`Remove ${f.name}`}>
                        Remove
                      </button>
                    )}
                  </td>
                </tr>
              ))}
          </tbody>
        </table>
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
        <form
          className="row above-5"

          onSubmit={(event) => {
            event.preventDefault();
            add.mutate();
          }}
        >
          <TextField label="New field" value={name} onChange={(e) => setName(e.target.value)} />
          <TextField select label="Type" value={type} onChange={(e) => setType(e.target.value)}>
            {types?.map((t) => (
              <MenuItem key={t.code} value={t.code}>
                {t.name}
              </MenuItem>
            ))}
          </TextField>
          {chosenFrom(type) && (
            <TextField
              label={`${typeOf(type)?.has_many ? "Labels" : "Choices"}, separated by commas`}
              value={choices}
              onChange={(e) => setChoices(e.target.value)}
            />
          )}
          {refers && (
            <>
              <TextField
                select
                label="Database"
                className="min-150"
                value={refersTo || ""}
                onChange={(e) => setRefersTo(Number(e.target.value))}
              >
                {databases.map((d) => (
                  <MenuItem key={d.id} value={d.id}>
                    {d.name}
                  </MenuItem>
                ))}
              </TextField>
              <TextField
                label="Name of the field there"
                placeholder={database.name}
                value={backName}
                onChange={(e) => setBackName(e.target.value)}
                slotProps={{ inputLabel: { shrink: true } }}
              />
            </>
          )}
          <Button type="submit" variant="contained" disabled={!name.trim() || (refers && !refersTo) || add.isPending}>
            Add the field
          </Button>
        </form>
        {problem && <div className="note bad">{problem}</div>}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Close</Button>
      </DialogActions>
      {dialog}
    </Dialog>
  );
}

/** A text that is kept on leaving or with Enter. */
function KeptText({ label, value, onKeep }: { label: string; value: string; onKeep: (value: string) => void }) {
  const [text, setText] = useState<string | null>(null);
  return (
    <input
      className="find flush"

      aria-label={label}
      value={text ?? value}
      onChange={(e) => setText(e.target.value)}
      onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      onBlur={() => {
        if (text !== null && text !== value) onKeep(text);
        setText(null);
      }}
    />
  );
}
