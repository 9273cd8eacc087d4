import { MenuItem, Select } from "@mui/material";
import { FilledWith } from "../../screens/timetable/FilledWith";
import { useLine } from "../../screens/timetable/lineContext";
import type { Cell, Part, Rehearsal, RunAnother } from "../../screens/timetable/model";

interface Props {
  line: RunAnother;
  cell: Cell | undefined;
  findings: Rehearsal["findings"];
  onChange: (line: RunAnother) => void;
}

/** Which workflow is run, and what is given to it, by the names that it declares. */
export function RunAnotherPanel({ line, cell, findings, onChange }: Props) {
  const { rehearsal, workflow } = useLine();
  const others = (rehearsal?.others ?? []).filter((o) => o.workflow !== workflow);
  const chosen = others.find((o) => o.workflow === line.workflow);
  const give = (key: string, filling: Part[]) =>
    onChange({ ...line, given: [...line.given.filter((g) => g.key !== key), ...(filling.length > 0 ? [{ key, filling }] : [])] });
  return (
    <>
      <div className="row below-1">
        <span>Run</span>
        <Select
          value={chosen ? String(chosen.workflow) : ""}
          displayEmpty
          className="min-240"
          SelectDisplayProps={{ "aria-label": "Workflow to run" }}
          onChange={(event) => onChange({ ...line, workflow: Number(event.target.value) })}
        >
          <MenuItem value="" disabled>
            {others.length > 0 ? "Choose a workflow" : "No workflow accepts requests yet"}
          </MenuItem>
          {others.map((o) => (
            <MenuItem key={o.workflow} value={String(o.workflow)}>
              {o.name}
            </MenuItem>
          ))}
        </Select>
        <span className="quiet">Only workflows that start with a request can be run here</span>
      </div>
      {chosen && chosen.inputs.length > 0 && (
        <table aria-label="Values to pass">
          <colgroup>
            <col className="w-168" />
            <col />
            <col className="third" />
          </colgroup>
          <tbody>
            {chosen.inputs.map((input) => {
              const part = cell?.parts.find((p) => p.key === input.key);
              const sentence = part?.sentence || findings.find((f) => f.key === input.key)?.sentence;
              return (
                <tr key={input.key}>
                  <td>
                    <b>{input.key}</b>
                    {input.required && " *"}
                  </td>
                  <td className="wrap">
                    <FilledWith
                      label={`${input.key} is filled with`}
                      parts={line.given.find((g) => g.key === input.key)?.filling ?? []}
                      onChange={(filling) => give(input.key, filling)}
                    />
                  </td>
                  <td className="wrap">{sentence ? <span className="bad">! {sentence}</span> : part?.shown}</td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
    </>
  );
}
