import { MenuItem, Select } from "@mui/material";
import type { Schemas } from "../api/client";
import type { Field } from "../api/queries";
import { FilterEditor } from "../parts/FilterEditor";
import type { Viewing } from "./useView";

interface Props {
  viewing: Viewing;
  fields: Field[];
  comparing: Record<string, Schemas["ComparingOut"][]>;
}

/** How a mark is drawn and said: never by its colour alone. */
export const TONES = {
  look: { words: "Needs a look", sign: "◆" },
  bad: { words: "Late or wrong", sign: "▲" },
  good: { words: "Good", sign: "✓" },
  quiet: { words: "Set back", sign: "–" },
} as const;

/** How records stand out, by condition: the first that holds counts. */
export function MarksEditor({ viewing, fields, comparing }: Props) {
  const { view, edit } = viewing;
  const marks = view.marks ?? [];
  const add = () => edit({ marks: [...marks, { tone: "look", filter: { mode: "all", tests: [] } }] });
  return (
    <section className="filtered">
      <div className="row wrapped">
        <b>Marks:</b>
        {marks.length === 0 && <span className="quiet">none</span>}
        <button className="link" onClick={add}>
          Add mark
        </button>
      </div>
      {marks.map((mark, n) => {
        const change = (next: Partial<typeof mark>) => edit({ marks: marks.map((m, at) => (at === n ? { ...m, ...next } : m)) });
        return (
          <div key={n} className="marking">
            <div className="row wrapped">
              <Select
                value={mark.tone ?? "look"}
                SelectDisplayProps={{ "aria-label": "How it stands out" }}
                onChange={(event) => change({ tone: event.target.value as keyof typeof TONES })}
              >
                {Object.entries(TONES).map(([tone, of]) => (
                  <MenuItem key={tone} value={tone}>
                    {of.sign} {of.words}
                  </MenuItem>
                ))}
              </Select>
              <button className="link" onClick={() => edit({ marks: marks.filter((_, at) => at !== n) })}>
                Remove mark
              </button>
            </div>
            <FilterEditor
              name="Marked"
              all="add a condition"
              fields={fields}
              comparing={comparing}
              filter={mark.filter}
              onChange={(filter) => change({ filter })}
            />
          </div>
        );
      })}
    </section>
  );
}
