import { Dialog, DialogContent, DialogTitle, MenuItem, Select } from "@mui/material";
import { useState } from "react";
import { useApps, useTargets, type Sample } from "../../api/queries";
import { sentenceOf } from "../../lines";
import { databaseOf } from "./carried";
import { columnTime, fillsFields, whenOf, type Cell, type Document, type Rehearsal } from "./model";

interface Props {
  document: Document;
  rehearsal: Rehearsal | undefined;
  samples: Sample[];
  first: Sample;
  zone: string;
  onClose: () => void;
}

const STATES: Record<Cell["state"], string> = {
  in: "in",
  goes_on: "continues",
  passed_by: "skipped",
  left: "skips the rest",
  taken: "taken",
  not_taken: "not taken",
  rounds: "repeats",
  stops: "stops",
  asks: "asks",
  fits: "fits",
  found: "found",
  found_none: "none",
  waits: "waits",
  waiting: "loading",
  put_right: "problem",
  not_reached: "not run",
  unready: "not ready",
};

/** Two samples beside each other, cell by cell; what differs is marked. */
export function CompareDialog({ document, rehearsal, samples, first, zone, onClose }: Props) {
  const databases = useTargets();
  const app = useApps().data?.find((a) => a.code === whenOf(document).app);
  const [other, setOther] = useState(samples.find((s) => s.id !== first.id)?.id ?? first.id);
  const rows = document.lines.flatMap((line, n) => {
    const cells = [first.id, other].map((id) => rehearsal?.cells[String(id)]?.find((c) => c.line === line.id));
    const { verb, object } = sentenceOf(line, app, databases, document);
    const head = {
      key: line.id,
      name: `${n + 1} ${verb} ${object}`,
      values: cells.map((c) => (c ? [STATES[c.state], c.note].filter(Boolean).join(": ") : "")),
      head: true,
    };
    const fields = fillsFields(line) ? (databaseOf(line, document, databases)?.fields ?? []).map((f) => ({ key: f.id, name: f.name })) : [];
    const made = line.verb === "shape" ? line.values.map((v) => ({ key: v.key, name: v.name })) : [];
    const valueOf = (cell: Cell | undefined, key: string) => {
      const found = cell?.results.find((r) => String(r.field) === key) ?? cell?.parts.find((r) => r.key === key);
      return found ? found.shown || found.sentence : "";
    };
    const parts = [...fields, ...made]
      .map((f) => ({ key: `${line.id} ${f.key}`, name: f.name, values: cells.map((c) => valueOf(c, f.key)), head: false }))
      .filter((r) => r.values.some(Boolean));
    return [head, ...parts];
  });
  return (
    <Dialog open onClose={onClose} maxWidth="lg" fullWidth>
      <DialogTitle>Compare samples</DialogTitle>
      <DialogContent>
        <table aria-label="Compare samples">
          <colgroup>
            <col className="w-200" />
            <col />
            <col />
          </colgroup>
          <thead>
            <tr>
              <th />
              <th>
                {columnTime(first.at, zone)} {first.title}
              </th>
              <th>
                <Select
                  value={other}
                  className="max-380"
                  SelectDisplayProps={{ "aria-label": "The other sample" }}
                  onChange={(event) => setOther(event.target.value)}
                >
                  {samples
                    .filter((s) => s.id !== first.id)
                    .map((s) => (
                      <MenuItem key={s.id} value={s.id}>
                        {columnTime(s.at, zone)} {s.title}
                      </MenuItem>
                    ))}
                </Select>
              </th>
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => {
              const differs = row.values[0] !== row.values[1];
              return (
                <tr key={row.key} className={differs ? "differs" : undefined}>
                  <td className={row.head ? "clip" : "clip indented"}>
                    {row.head ? <b>{row.name}</b> : row.name}
                    {differs && (
                      <span className="look" title="differs">
                        {" "}
                        ≠
                      </span>
                    )}
                  </td>
                  {row.values.map((value, n) => (
                    <td key={n} className="wrap">
                      {value}
                    </td>
                  ))}
                </tr>
              );
            })}
          </tbody>
        </table>
      </DialogContent>
    </Dialog>
  );
}
