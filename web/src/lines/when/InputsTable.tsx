import { MenuItem, Select } from "@mui/material";
import { useFieldTypes } from "../../api/queries";
import type { Address } from "../../screens/timetable/model";

type Input = Address["inputs"][number];
const PLACES: Record<Input["place"], string> = { body: "body", query: "query", header: "header" };

interface Props {
  label: string;
  inputs: Input[];
  /** Whether they may stand in the query and the headers too. */
  anywhere?: boolean;
  onChange: (inputs: Input[]) => void;
}

/** The values that a request declares, or that each row of one of its lists has. */
export function InputsTable({ label, inputs, anywhere, onChange }: Props) {
  const types = useFieldTypes().data?.filter((t) => t.in_requests) ?? [];
  const set = (at: number, next: Input | null) => onChange(inputs.flatMap((i, n) => (n === at ? (next ? [next] : []) : [i])));
  if (inputs.length === 0) return null;
  return (
    <table aria-label={label}>
      <colgroup>
        <col />
        {anywhere && <col className="w-112" />}
        <col className="w-150" />
        <col className="w-130" />
        <col className="w-40" />
      </colgroup>
      <thead>
        <tr>
          <th>Name in the {anywhere ? "request" : "row"}</th>
          {anywhere && <th>Part</th>}
          <th>Type</th>
          <th>Required</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {inputs.map((input, at) => (
          <tr key={at}>
            <td>
              <input
                className="find flush"
                aria-label={`Name in the ${anywhere ? "request" : "row"}`}
                placeholder={input.place === "header" ? "x-event" : "customer.name"}
                value={input.key}
                onChange={(event) => set(at, { ...input, key: event.target.value })}
              />
            </td>
            {anywhere && (
              <td>
                <Select
                  value={input.place}
                  fullWidth
                  SelectDisplayProps={{ "aria-label": "Part of the request" }}
                  onChange={(event) => set(at, { ...input, place: event.target.value })}
                >
                  {Object.entries(PLACES).map(([place, words]) => (
                    <MenuItem key={place} value={place}>
                      {words}
                    </MenuItem>
                  ))}
                </Select>
              </td>
            )}
            <td>
              <Select
                value={input.type}
                fullWidth
                SelectDisplayProps={{ "aria-label": "Type" }}
                onChange={(event) => set(at, { ...input, type: event.target.value })}
              >
                {types.map((t) => (
                  <MenuItem key={t.code} value={t.code}>
                    {t.name}
                  </MenuItem>
                ))}
              </Select>
            </td>
            <td>
              <label>
                <input
                  type="checkbox"
                  checked={input.required}
                  onChange={(event) => set(at, { ...input, required: event.target.checked })}
                />{" "}
                required
              </label>
            </td>
            <td>
              <button className="link" aria-label={`Remove ${input.key}`} onClick={() => set(at, null)}>
                ×
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
