import { MenuItem, Select } from "@mui/material";
import { Fragment } from "react";
import { FilledWith } from "../../screens/timetable/FilledWith";
import { MoreRow, PanelRow, Remove } from "../../screens/timetable/PanelRow";
import type { Cell, Rehearsal, WebRequest } from "../../screens/timetable/model";
import { WebAnswer } from "./WebAnswer";
import { WebHeaders } from "./WebHeaders";

const METHODS: WebRequest["method"][] = ["POST", "PUT", "PATCH", "GET", "DELETE"];

interface Props {
  line: WebRequest;
  cell: Cell | undefined;
  findings: Rehearsal["findings"];
  onChange: (line: WebRequest) => void;
}

/** Where a web request goes, and what is in it; beside it, the request as it would go out with the chosen sample. */
export function WebRequestPanel({ line, cell, findings, onChange }: Props) {
  const wrong = (key: string) => findings.find((f) => f.key === key)?.sentence;
  const inAddress = line.method === "GET" || line.method === "DELETE";
  const set = (at: number, value: WebRequest["body"][number] | null) =>
    onChange({ ...line, body: line.body.flatMap((g, n) => (n === at ? (value ? [value] : []) : [g])) });
  return (
    <div className="mailing">
      <div>
        <PanelRow name="Send" problem={wrong("address")}>
          <div className="row">
            <Select
              value={line.method}
              className="min-84"
              SelectDisplayProps={{ "aria-label": "Method" }}
              onChange={(event) => onChange({ ...line, method: event.target.value })}
            >
              {METHODS.map((m) => (
                <MenuItem key={m} value={m}>
                  {m}
                </MenuItem>
              ))}
            </Select>
            <span className="quiet">to</span>
            <div className="grow">
              <FilledWith label="Web address" parts={line.address} onChange={(address) => onChange({ ...line, address })} />
            </div>
          </div>
        </PanelRow>
        {line.body.map((given, at) => (
          <PanelRow
            key={at}
            name={at === 0 ? "Values" : ""}
            problem={wrong(given.key) ?? cell?.parts.find((p) => p.key === given.key)?.sentence}
          >
            <div className="row">
              <input
                className="find flush w-130 rigid"
                aria-label={`Name of value ${at + 1}`}
                placeholder="customer.name"
                title="Dots in names create nested values"
                value={given.key}
                onChange={(event) => set(at, { ...given, key: event.target.value })}
              />
              <div className="grow">
                <FilledWith
                  label={`Value ${given.key || at + 1}`}
                  parts={given.filling}
                  onChange={(filling) => set(at, { ...given, filling })}
                />
              </div>
              <Remove name={`value ${given.key || at + 1}`} onClick={() => set(at, null)} />
            </div>
          </PanelRow>
        ))}
        <MoreRow problem={wrong("body")} onClick={() => onChange({ ...line, body: [...line.body, { key: "", filling: [] }] })}>
          + Add value {inAddress ? "in the address" : ""}
        </MoreRow>
        <WebHeaders line={line} problem={wrong("headers")} onChange={onChange} />
        <WebAnswer line={line} wrong={wrong} onChange={onChange} />
      </div>
      <WebCallPreview cell={cell} />
    </div>
  );
}

/** Preview of the request. */
function WebCallPreview({ cell }: { cell: Cell | undefined }) {
  const call = cell?.call;
  if (!call) return <p className="quiet">{cell?.note}</p>;
  return (
    <div className="letter" aria-label="Preview of the request">
      <p>
        <b>{call.method}</b> {call.address}
      </p>
      {call.headers.length > 0 && (
        <dl className="headers">
          {call.headers.map((header) => (
            <Fragment key={header.name}>
              <dt>{header.name}</dt>
              <dd>{header.value}</dd>
            </Fragment>
          ))}
        </dl>
      )}
      {call.body && <pre className="body">{call.body}</pre>}
      <p className="quiet">Also sent: the run, the attempt number, and a key that is the same for every attempt.</p>
    </div>
  );
}
