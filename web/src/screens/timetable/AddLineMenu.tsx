import { Menu, MenuItem } from "@mui/material";
import { offered } from "../../lines";
import type { Line } from "./model";

interface Props {
  at: HTMLElement | null;
  onChoose: (verb: Line["verb"]) => void;
  onClose: () => void;
}

/** The kinds of lines that can be added. */
export function AddLineMenu({ at, onChoose, onClose }: Props) {
  return (
    <Menu anchorEl={at} open={at !== null} onClose={onClose}>
      {offered().map(({ verb, words }) => (
        <MenuItem key={verb} onClick={() => onChoose(verb)}>
          {words}
        </MenuItem>
      ))}
    </Menu>
  );
}
