import { MenuItem, Select } from "@mui/material";
import type { Field } from "../api/queries";
import type { View } from "./queries";
import type { Viewing } from "./useView";

type Total = NonNullable<View["totals"]>[number];

/** Which figures a view tells of all its records and of each group. */
export function TotalsEditor({ viewing, fields }: { viewing: Viewing; fields: Field[] }) {
  const { view, edit, choices } = viewing;
  const totals = view.totals ?? [];
  const figuresOf = (id: string) => choices?.fields[id]?.figures ?? [];
  const words = (figure: string) => choices?.figures.find((f) => f.figure === figure)?.words ?? "";
  const free = fields.filter((f) => figuresOf(f.id).length > 0 && !totals.some((t) => t.field === f.id));
  const unused = free.find((f) => figuresOf(f.id)[0] === "sum") ?? free[0];
  return (
    <section className="filtered">
      <div className="row wrapped">
        <b>Totals:</b>
        {totals.length === 0 && <span className="quiet">none</span>}
        {unused && (
          <button
            className="link"
            onClick={() => edit({ totals: [...totals, { field: unused.id, figure: figuresOf(unused.id)[0] ?? "filled" }] })}
          >
            Add total
          </button>
        )}
      </div>
      {totals.map((one, n) => {
        const change = (next: Total) => edit({ totals: totals.map((t, at) => (at === n ? next : t)) });
        return (
          <div key={one.field} className="row wrapped">
            <Select
              value={one.figure}
              SelectDisplayProps={{ "aria-label": "Figure" }}
              onChange={(event) => change({ ...one, figure: event.target.value as Total["figure"] })}
            >
              {figuresOf(one.field).map((figure) => (
                <MenuItem key={figure} value={figure}>
                  {words(figure)}
                </MenuItem>
              ))}
            </Select>
            of
            <Select
              value={one.field}
              SelectDisplayProps={{ "aria-label": "Field of the total" }}
              onChange={(event) => {
                const id = event.target.value;
                change({ field: id, figure: figuresOf(id).includes(one.figure) ? one.figure : (figuresOf(id)[0] ?? "filled") });
              }}
            >
              {fields
                .filter((f) => f.id === one.field || free.includes(f))
                .map((f) => (
                  <MenuItem key={f.id} value={f.id}>
                    {f.name}
                  </MenuItem>
                ))}
            </Select>
            <button className="link" aria-label="Remove total" onClick={() => edit({ totals: totals.filter((_, at) => at !== n) })}>
              ×
            </button>
          </div>
        );
      })}
    </section>
  );
}
