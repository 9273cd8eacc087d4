import { Button, Dialog, DialogActions, DialogContent, DialogTitle, MenuItem, Select } from "@mui/material";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client, said, type Schemas } from "../../api/client";
import type { Database } from "../../api/queries";

const FOUND = "found";
const CONTENTS = "contents";
type Layout = Schemas["LayoutOut"];

/** A sheet as it is now: which row is its header, and by what its rows are told apart. */
export function SheetDialog({ place, onClose }: { place: Database; onClose: () => void }) {
  const queries = useQueryClient();
  const path = { place_id: place.id };
  const layout = useQuery({
    queryKey: ["sheet", place.id],
    queryFn: () => answer(client.GET("/api/v1/places/{place_id}/sheet", { params: { path } })),
    retry: false,
  });
  const set = useMutation({
    mutationFn: (body: Schemas["LayoutIn"]) => answer(client.PUT("/api/v1/places/{place_id}/sheet", { params: { path }, body })),
    onSuccess: () => Promise.all([["sheet"], ["places"], ["rehearsal"]].map((queryKey) => queries.invalidateQueries({ queryKey }))),
  });
  const found = layout.data;
  return (
    <Dialog open onClose={onClose} maxWidth="md" fullWidth>
      <DialogTitle>Header and rows of {place.name}</DialogTitle>
      <DialogContent>
        {layout.isPending && <p className="quiet">Loading the sheet …</p>}
        {layout.error && <div className="note bad">{said(layout.error)}</div>}
        {found && <Choices found={found} onChange={(said) => set.mutate(said)} />}
        {set.error && <div className="note bad">{said(set.error)}</div>}
        {found && <FirstRows found={found} />}
      </DialogContent>
      <DialogActions>
        <Button variant="contained" onClick={onClose}>
          Done
        </Button>
      </DialogActions>
    </Dialog>
  );
}

function Choices({ found, onChange }: { found: Layout; onChange: (said: Schemas["LayoutIn"]) => void }) {
  const [kept, setKept] = useState(found.said);
  const change = (said: Schemas["LayoutIn"]) => {
    setKept(said);
    onChange(said);
  };
  return (
    <div className="cond labelled">
      <label htmlFor="header-row">Header</label>
      <Select
        value={kept.header == null ? FOUND : String(kept.header)}
        SelectDisplayProps={{ id: "header-row", "aria-label": "Header" }}
        onChange={(event) => change({ ...kept, header: event.target.value === FOUND ? null : Number(event.target.value) })}
      >
        <MenuItem value={FOUND}>
          {kept.header == null ? `Detected: ${found.header ? `row ${found.header}` : "no header"}` : "Detect the header"}
        </MenuItem>
        <MenuItem value="0">The sheet has no header</MenuItem>
        {found.rows.map((_, n) => (
          <MenuItem key={n} value={String(n + 1)}>
            Row {n + 1}
          </MenuItem>
        ))}
      </Select>
      <span className="quiet">The row with the names of the columns. What stands above it is left alone.</span>
      <label htmlFor="row-key">Recognise rows by</label>
      <Select
        value={kept.key ?? CONTENTS}
        SelectDisplayProps={{ id: "row-key", "aria-label": "Recognise rows by" }}
        onChange={(event) => change({ ...kept, key: event.target.value === CONTENTS ? null : event.target.value })}
      >
        <MenuItem value={CONTENTS}>their contents</MenuItem>
        {found.columns.map((c) => (
          <MenuItem key={c.id} value={c.id}>
            the column {c.name}
          </MenuItem>
        ))}
      </Select>
      <span className="quiet">
        A row stays the same after sorting, inserting and editing. If each row has its own number or code, choose that column: then a row
        stays the same even if all else in it changes.
      </span>
    </div>
  );
}

function FirstRows({ found }: { found: Layout }) {
  const width = Math.max(1, ...found.rows.map((row) => row.length));
  return (
    <div className="scroll above-2">
      <table className="list" aria-label="First rows of the sheet">
        <tbody>
          {found.rows.map((row, n) => (
            <tr key={n} className={found.header === n + 1 ? "chosen" : undefined}>
              <td className="w-40 quiet">{n + 1}</td>
              {Array.from({ length: width }, (_, at) => (
                <td key={at}>{found.header === n + 1 ? <b>{row[at] ?? ""}</b> : (row[at] ?? "")}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {found.rows.length === 0 && <p className="quiet">This sheet is empty. Create its columns from the sample: As a list, + field.</p>}
    </div>
  );
}
