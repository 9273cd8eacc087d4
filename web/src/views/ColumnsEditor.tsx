import { Checkbox, FormControlLabel, MenuItem, Select } from "@mui/material";
import { TEXT_FIELD, type Field } from "../api/queries";
import type { View } from "./queries";
import type { Viewing } from "./useView";

/** The columns of a view: those chosen, else all fields of the database but the records' text. */
export function columnsOf(view: View, fields: Field[], own: number): NonNullable<View["columns"]> {
  if (view.columns?.length) return view.columns;
  return fields.slice(0, own).flatMap((f) => (f.id === TEXT_FIELD ? [] : [{ field: f.id }]));
}

/** Which fields a view shows, in which order, and how many stay in sight. */
export function ColumnsEditor({ viewing, fields }: { viewing: Viewing; fields: Field[] }) {
  const { view, edit } = viewing;
  const columns = columnsOf(view, fields, fields.filter((f) => f.can_write).length);
  const chosen = columns.flatMap((c) => fields.find((f) => f.id === c.field) ?? []);
  const others = fields.filter((f) => f.id !== TEXT_FIELD && !columns.some((c) => c.field === f.id));
  const move = (at: number, by: number) => {
    const next = [...columns];
    const [one] = next.splice(at, 1);
    if (one) next.splice(at + by, 0, one);
    edit({ columns: next });
  };
  return (
    <section className="filtered">
      <b>Columns:</b>
      <ul className="columned">
        {chosen.map((f, n) => (
          <li key={f.id} className="row">
            <FormControlLabel
              className="grow"
              control={
                <Checkbox
                  checked
                  disabled={columns.length === 1}
                  onChange={() => edit({ columns: columns.filter((c) => c.field !== f.id) })}
                />
              }
              label={f.name}
            />
            <button className="link" disabled={n === 0} aria-label={`Move ${f.name} left`} onClick={() => move(n, -1)}>
              ↑
            </button>
            <button className="link" disabled={n === chosen.length - 1} aria-label={`Move ${f.name} right`} onClick={() => move(n, 1)}>
              ↓
            </button>
          </li>
        ))}
        {others.map((f) => (
          <li key={f.id}>
            <FormControlLabel
              control={<Checkbox checked={false} onChange={() => edit({ columns: [...columns, { field: f.id }] })} />}
              label={f.name}
            />
          </li>
        ))}
      </ul>
      {view.kind === "table" && (
        <div className="row wrapped">
          <span id="frozen">Columns that stay in sight:</span>
          <Select
            value={String(view.frozen ?? 1)}
            SelectDisplayProps={{ "aria-labelledby": "frozen" }}
            onChange={(event) => edit({ frozen: Number(event.target.value) })}
          >
            {["0", "1", "2", "3", "4"].map((n) => (
              <MenuItem key={n} value={n}>
                {n === "0" ? "none" : n}
              </MenuItem>
            ))}
          </Select>
        </div>
      )}
    </section>
  );
}
