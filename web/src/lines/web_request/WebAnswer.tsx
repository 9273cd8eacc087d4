import { MenuItem, Select } from "@mui/material";
import { useFieldTypes } from "../../api/queries";
import type { WebRequest } from "../../screens/timetable/model";
import { MoreRow, PanelRow, Remove } from "../../screens/timetable/PanelRow";

type Taken = WebRequest["takes"][number];

interface Props {
  line: WebRequest;
  wrong: (key: string) => string | undefined;
  onChange: (line: WebRequest) => void;
}

/** What counts as success, what is done where no answer comes, and what is taken out of the answer. */
export function WebAnswer({ line, wrong, onChange }: Props) {
  const set = (at: number, value: Taken | null) =>
    onChange({ ...line, takes: line.takes.flatMap((i, n) => (n === at ? (value ? [value] : []) : [i])) });
  const types = useFieldTypes().data?.filter((t) => t.in_requests) ?? [];
  const asks = line.method === "POST" || line.method === "PATCH";
  return (
    <>
      <PanelRow name="Success" problem={wrong("success")}>
        <input
          className="find flush w-112"
          aria-label="Successful answers"
          value={line.success}
          onChange={(event) => onChange({ ...line, success: event.target.value })}
        />{" "}
        <span className="quiet">for example 2xx, 404. Busy or failing servers are retried.</span>
      </PanelRow>
      {asks && (
        <PanelRow name="">
          <label>
            <input
              type="checkbox"
              checked={line.recognises}
              onChange={(event) => onChange({ ...line, recognises: event.target.checked })}
            />{" "}
            the receiver recognises repeats by Idempotency-Key
          </label>
          <div className="quiet">
            {line.recognises ? "If there’s no reply, Kelvix sends it again." : "If there’s no reply, the run asks you."}
          </div>
        </PanelRow>
      )}
      {line.takes.map((one, at) => (
        <PanelRow key={at} name={at === 0 ? "Take" : ""}>
          <div className="row">
            <input
              className="find flush w-150"
              aria-label={`Name in the answer ${at + 1}`}
              placeholder="ticket.id"
              value={one.key}
              onChange={(event) => set(at, { ...one, key: event.target.value })}
            />
            <Select
              value={one.type}
              className="min-112"
              SelectDisplayProps={{ "aria-label": `Type of ${one.key || "the value"}` }}
              onChange={(event) => set(at, { ...one, type: event.target.value })}
            >
              {types.map((t) => (
                <MenuItem key={t.code} value={t.code}>
                  {t.name}
                </MenuItem>
              ))}
            </Select>
            <Remove name={`answer value ${one.key || at + 1}`} onClick={() => set(at, null)} />
          </div>
        </PanelRow>
      ))}
      <MoreRow
        problem={wrong("takes")}
        onClick={() =>
          onChange({ ...line, takes: [...line.takes, { key: "", type: types[0]?.code ?? "", required: false, place: "body" }] })
        }
      >
        + Add value from the answer
      </MoreRow>
    </>
  );
}
