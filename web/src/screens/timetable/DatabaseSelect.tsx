import { MenuItem, Select } from "@mui/material";
import type { Database } from "../../api/queries";

interface Props {
  /** What stands before it: Add to, Find in. */
  words: string;
  label: string;
  value: number | null | undefined;
  databases: Database[];
  onChange: (database: Database) => void;
}

/** The database that a line works on. */
export function DatabaseSelect({ words, label, value, databases, onChange }: Props) {
  return (
    <>
      <span>{words}</span>
      <Select
        value={databases.some((d) => d.id === value) ? String(value) : ""}
        displayEmpty
        className="min-200"
        SelectDisplayProps={{ "aria-label": label }}
        onChange={(event) => {
          const chosen = databases.find((d) => d.id === Number(event.target.value));
          if (chosen) onChange(chosen);
        }}
      >
        <MenuItem value="" disabled>
          Choose a database
        </MenuItem>
        {databases.map((d) => (
          <MenuItem key={d.id} value={String(d.id)}>
            {d.name}
          </MenuItem>
        ))}
      </Select>
    </>
  );
}
