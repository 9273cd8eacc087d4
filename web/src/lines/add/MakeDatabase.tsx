import { Button, Checkbox, Dialog, DialogActions, DialogContent, DialogTitle, TextField } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client, said, type Schemas } from "../../api/client";
import { TEXT_FIELD, useApp, useMe, type Sample, useTypeOf } from "../../api/queries";
import { useLine } from "../../screens/timetable/lineContext";
import { columnTime, type Adds } from "../../screens/timetable/model";

interface Props {
  line: Adds;
  /** The id of the When line, whose values fill the fields. */
  when: string;
  /** The code of its app. */
  app: string;
  sample: Sample | undefined;
  /** What it is called, unless the person calls it otherwise. */
  named: string;
  onClose: () => void;
  onMade: (line: Adds) => void;
}

/** A database made of the values that the sample carries, with this line filled accordingly. */
export function MakeDatabase({ line, when, app: code, sample, named, onClose, onMade }: Props) {
  const app = useApp(code);
  const zone = useMe().data?.timezone ?? "UTC";
  const { shown, carried } = useLine();
  const queries = useQueryClient();
  const typeOf = useTypeOf();
  const [name, setName] = useState(named);
  const [ticked, setTicked] = useState<Set<string> | null>(null);
  // Where each place has fields of its own, all of them are proposed, but for what any item has.
  const own = new Set(["link", "place", "created", "changed", "row"]);
  const varies = app !== undefined && app.proposed.length === 0;
  const all = varies ? carried.filter((c) => c.line === when && !own.has(c.key)) : (app?.fields ?? []);
  const chosen = ticked ?? new Set([...(varies ? all : (app?.proposed ?? [])).map((p) => p.key), "text"]);
  const nameOf = (key: string) =>
    app?.proposed.find((p) => p.key === key)?.name ??
    all
      .find((f) => f.key === key)
      ?.name.slice(1)
      .join(" ") ??
    key;

  const make = useMutation({
    mutationFn: async () => {
      const fields = all.filter((f) => chosen.has(f.key) && f.key !== "text");
      const title = varies ? all.find((f) => typeOf(f.type)?.is_text)?.key : app?.proposed[0]?.key;
      const titled = [...fields].sort((a, b) => Number(b.key === title) - Number(a.key === title));
      const made = await answer(
        client.POST("/api/v1/databases", {
          body: {
            name,
            fields: titled.map((f) => ({
              name: nameOf(f.key),
              type: f.type as Schemas["NewFieldIn"]["type"],
              required: false,
              choices: [],
              grows: !!typeOf(f.type)?.has_choices,
            })),
          },
        }),
      );
      return { made, titled };
    },
    onSuccess: async ({ made, titled }) => {
      await queries.invalidateQueries({ queryKey: ["databases"] });
      const source = (key: string) => [{ ref: { line: when, value: key } }];
      const fills = titled.flatMap((f) => {
        const field = made.fields.find((d) => d.name === nameOf(f.key));
        return field ? [{ field: field.id, filling: source(f.key), named: field.name, empty: "leave" as const }] : [];
      });
      if (chosen.has("text") && !varies) fills.push({ field: TEXT_FIELD, filling: source("text"), named: "Text", empty: "leave" });
      onMade({ ...line, database: made.id, fillings: fills, ...("by" in line ? { by: [] } : {}) });
      onClose();
    },
  });

  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth>
      <DialogTitle>Create database from the sample</DialogTitle>
      <DialogContent>
        <p className="below-2">Each selected value becomes a field of the same type, filled by this line.</p>
        <TextField label="Database name" value={name} onChange={(event) => setName(event.target.value)} autoFocus />
        <table className="above-2">
          <tbody>
            {all.map((f) => (
              <tr key={f.key}>
                <td className="w-200">
                  <label>
                    <Checkbox
                      className="tight right-2"
                      checked={chosen.has(f.key)}
                      onChange={(event) => {
                        const next = new Set(chosen);
                        if (event.target.checked) next.add(f.key);
                        else next.delete(f.key);
                        setTicked(next);
                      }}
                    />
                    {nameOf(f.key)}
                  </label>
                </td>
                <td className="quiet">{shown({ line: when, value: f.key }).slice(0, 80)}</td>
              </tr>
            ))}
          </tbody>
        </table>
        {sample && (
          <p className="quiet">
            Values from {columnTime(sample.at, zone)}, {sample.title}.
          </p>
        )}
        {make.error && <div className="note bad">{said(make.error)}</div>}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" disabled={!name.trim() || chosen.size === 0 || make.isPending} onClick={() => make.mutate()}>
          Create
        </Button>
      </DialogActions>
    </Dialog>
  );
}
