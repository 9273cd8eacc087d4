import { MenuItem, Select } from "@mui/material";
import type { Connection } from "../../api/queries";

interface Props {
  id: string;
  connections: Connection[];
  chosen: Connection | undefined;
  /** What stands there while none is chosen. */
  none?: string;
  onChange: (connection: number) => void;
}

/** One of several connections. */
export function ConnectionSelect({ id, connections, chosen, none = "Choose a connection", onChange }: Props) {
  return (
    <Select
      id={id}
      value={chosen ? String(chosen.id) : ""}
      displayEmpty
      SelectDisplayProps={{ "aria-label": "Connection" }}
      onChange={(event) => onChange(Number(event.target.value))}
    >
      <MenuItem value="" disabled>
        {none}
      </MenuItem>
      {connections.map((c) => (
        <MenuItem key={c.id} value={String(c.id)}>
          {c.name}
        </MenuItem>
      ))}
    </Select>
  );
}
