import { Checkbox, MenuItem, Select } from "@mui/material";
import { FilledWith } from "../screens/timetable/FilledWith";
import { PanelRow } from "../screens/timetable/PanelRow";
import type { Line } from "../screens/timetable/model";
import { partsOf, valueOf, type Blank, type LineKind } from "./brought";
import type { PanelProps } from "./lineView";

/** The panel of a line whose kind another package brings: its blanks, one below the other. */
export function FormPanel({ kind, line, cell, findings, onChange }: PanelProps<Line> & { kind: LineKind }) {
  const set = (key: string, value: unknown) => onChange({ ...line, [key]: value });
  return (
    <div className="mailing">
      <div>
        {kind.blanks.map((blank) => (
          <PanelRow key={blank.key} name={blank.words} problem={findings.find((f) => f.key === blank.key)?.sentence}>
            <OneBlank blank={blank} line={line} onChange={(value) => set(blank.key, value)} />
            {blank.help && <span className="quiet">{blank.help}</span>}
          </PanelRow>
        ))}
      </div>
      {cell && <p className={cell.state === "put_right" ? "bad" : "quiet"}>{cell.note}</p>}
    </div>
  );
}

function OneBlank({ blank, line, onChange }: { blank: Blank; line: Line; onChange: (value: unknown) => void }) {
  const value = valueOf(line, blank.key);
  switch (blank.takes) {
    case "filling":
      return <FilledWith label={blank.words} parts={partsOf(line, blank)} onChange={onChange} />;
    case "choice":
      return (
        <Select
          value={String(value ?? "")}
          SelectDisplayProps={{ "aria-label": blank.words }}
          onChange={(event) => onChange(event.target.value)}
        >
          {blank.choices.map(({ code, words }) => (
            <MenuItem key={code} value={code}>
              {words}
            </MenuItem>
          ))}
        </Select>
      );
    case "yes_no":
      return (
        <Checkbox
          checked={value === true}
          slotProps={{ input: { "aria-label": blank.words } }}
          onChange={(event) => onChange(event.target.checked)}
        />
      );
    case "number":
      return (
        <input
          className="find"
          type="number"
          aria-label={blank.words}
          value={typeof value === "number" ? value : ""}
          onChange={(event) => onChange(Math.trunc(Number(event.target.value)))}
        />
      );
    case "text":
      return (
        <input className="find" aria-label={blank.words} value={String(value ?? "")} onChange={(event) => onChange(event.target.value)} />
      );
  }
}
