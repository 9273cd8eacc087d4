import { ListSubheader, MenuItem, Select } from "@mui/material";
import { useState } from "react";
import type { Database } from "../../api/queries";
import { PlaceDialog } from "./PlaceDialog";
import { SheetDialog } from "./SheetDialog";

interface Props {
  /** What stands before it: Add to, Find in. */
  words: string;
  label: string;
  value: number | null | undefined;
  databases: Database[];
  onChange: (database: Database) => void;
}

const OTHER = "other";

/** The database that a line works on, or the place of an app. */
export function DatabaseSelect({ words, label, value, databases, onChange }: Props) {
  const [choosing, setChoosing] = useState(false);
  const [laying, setLaying] = useState(false);
  const sheet = databases.find((d) => d.id === value && d.outside?.is_sheet);
  const ours = databases.filter((d) => !d.outside);
  const places = databases.filter((d) => d.outside);
  return (
    <>
      <span>{words}</span>
      <Select
        value={databases.some((d) => d.id === value) ? String(value) : ""}
        displayEmpty
        className="min-200"
        SelectDisplayProps={{ "aria-label": label }}
        onChange={(event) => {
          if (event.target.value === OTHER) return setChoosing(true);
          const chosen = databases.find((d) => d.id === Number(event.target.value));
          if (chosen) onChange(chosen);
        }}
      >
        <MenuItem value="" disabled>
          Choose a database
        </MenuItem>
        {ours.map(one)}
        {places.length > 0 && <ListSubheader>In your apps</ListSubheader>}
        {places.map(one)}
        <MenuItem value={OTHER}>Choose a place in an app …</MenuItem>
      </Select>
      {sheet && (
        <button type="button" className="link" onClick={() => setLaying(true)}>
          Header and rows
        </button>
      )}
      {sheet && laying && <SheetDialog place={sheet} onClose={() => setLaying(false)} />}
      {choosing && <PlaceDialog onClose={() => setChoosing(false)} onTaken={onChange} />}
    </>
  );
}

const one = (d: Database) => (
  <MenuItem key={d.id} value={String(d.id)}>
    {d.outside && <span className="quiet">{d.outside.app_name} ›&nbsp;</span>}
    {d.name}
  </MenuItem>
);
