import type { Schemas } from "../../api/client";
import type { CarriedList } from "./model";

type Rows = NonNullable<Schemas["SampleValues"]["lists"]>[string];

interface Props {
  lists: CarriedList[];
  rows: Record<string, Rows>;
  onChange: (rows: Record<string, Rows>) => void;
}

/** The lists of a sample, attachments for one, row by row. */
export function SampleLists({ lists, rows, onChange }: Props) {
  return lists.map((list) => {
    const own = rows[list.key] ?? [];
    const set = (at: number, row: Rows[number] | null) =>
      onChange({ ...rows, [list.key]: own.flatMap((r, n) => (n === at ? (row ? [row] : []) : [r])) });
    const name = list.name[list.name.length - 1] ?? "List";
    return (
      <section key={list.key} aria-label={name} className="above-3">
        <b>{name}</b>
        {own.map((row, at) => (
          <div key={at} className="row wrapped above-1">
            <span className="quiet">{at + 1}</span>
            {list.fields.map((field) => {
              const words = field.name || field.key;
              return (
                <input
                  key={field.key}
                  className="find flush w-130"
                  aria-label={`${words} ${at + 1}`}
                  placeholder={words}
                  value={String(row[field.key] ?? "")}
                  onChange={(event) => set(at, { ...row, [field.key]: event.target.value || null })}
                />
              );
            })}
            <button className="link" aria-label={`Remove row ${at + 1}`} onClick={() => set(at, null)}>
              ×
            </button>
          </div>
        ))}
        <div>
          <button className="link" onClick={() => onChange({ ...rows, [list.key]: [...own, {}] })}>
            + Add row
          </button>
        </div>
      </section>
    );
  });
}
