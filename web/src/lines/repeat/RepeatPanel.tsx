import { MenuItem, Select } from "@mui/material";
import { useTypeOf } from "../../api/queries";
import { FilledWith } from "../../screens/timetable/FilledWith";
import { useLine } from "../../screens/timetable/lineContext";
import type { Cell, Rehearsal, Repeat } from "../../screens/timetable/model";
import { above } from "../../screens/timetable/nesting";

interface Props {
  line: Repeat;
  cell: Cell | undefined;
  findings: Rehearsal["findings"];
  onChange: (line: Repeat) => void;
}

/** The list that is gone through, and what is collected on the way. Labels are a list too. */
export function RepeatPanel({ line, cell, findings, onChange }: Props) {
  const { document, rehearsal } = useLine();
  const typeOf = useTypeOf();
  const usable = new Set(above(document, line.id).map((l) => l.id));
  const numbered = (id: string) => `line ${document.lines.findIndex((l) => l.id === id) + 1}`;
  const lists = (rehearsal?.lists ?? [])
    .filter((l) => usable.has(l.line))
    .map((l) => ({ ...l, words: `${l.name.join(" › ")}, ${numbered(l.line)}` }));
  const labels = (rehearsal?.carried ?? [])
    .filter((c) => typeOf(c.type)?.has_many && typeOf(c.type)?.has_choices && usable.has(c.line) && c.line !== line.id)
    .map((c) => ({ line: c.line, key: c.key, words: `${c.name.join(" › ")}, ${numbered(c.line)}` }));
  const all = [...lists, ...labels];
  const value = line.of ? `${line.of.line} ${line.of.value}` : "";
  return (
    <>
      <div className="row below-1">
        <span>For each of</span>
        <Select
          value={all.some((l) => `${l.line} ${l.key}` === value) ? value : ""}
          displayEmpty
          className="min-280"
          SelectDisplayProps={{ "aria-label": "The list to go through" }}
          onChange={(event) => {
            const found = all.find((l) => `${l.line} ${l.key}` === event.target.value);
            if (found) onChange({ ...line, of: { line: found.line, value: found.key } });
          }}
        >
          <MenuItem value="" disabled>
            {all.length > 0 ? "Choose the list" : "no line above has a list"}
          </MenuItem>
          {all.map((l) => (
            <MenuItem key={`${l.line} ${l.key}`} value={`${l.line} ${l.key}`}>
              {l.words}
            </MenuItem>
          ))}
        </Select>
        <span className={cell?.state === "put_right" ? "bad" : "quiet"}>{cell?.note}</span>
      </div>
      <p className="quiet">The lines inside run once for each item. A retry doesn’t repeat finished rounds.</p>
      <div className="row above-2">
        <span>Collect from each</span>
        <div className="grow">
          <FilledWith label="Value to collect from each" parts={line.collects} onChange={(collects) => onChange({ ...line, collects })} />
        </div>
      </div>
      {findings
        .filter((f) => f.key === "collects")
        .map((f) => (
          <p key={f.sentence} className="bad">
            ! {f.sentence}
          </p>
        ))}
    </>
  );
}
