import { Menu, MenuItem } from "@mui/material";
import type { NewVerb } from "./model";

const KINDS: [NewVerb, string][] = [
  ["only_if", "Only if: narrow what goes through"],
  ["shape", "Shape: make values of those above"],
  ["find", "Find: look records up in a database"],
  ["decide", "Decide: go one of several ways"],
  ["repeat", "For each: do something for each attachment, record or label"],
  ["ask", "Ask: let a person say yes or no, and edit"],
  ["wait", "Wait: for a span, until a time, until a working hour"],
  ["add", "Add: a record to a database"],
  ["add_or_update", "Add or update: keep one record for each thing"],
  ["update", "Update: change a record found or added above"],
  ["send_mail", "Send a mail: a text, and records as a table"],
  ["save_file", "Save a file: an attachment, or a file of a record, into a folder"],
  ["web_request", "Send a web request: chosen values to an address"],
  ["run_another", "Run: another workflow, with values given to it"],
  ["delete", "Delete: put such a record into the trash"],
  ["stop", "Stop: end here, and say why"],
];

interface Props {
  at: HTMLElement | null;
  onChoose: (verb: NewVerb) => void;
  onClose: () => void;
}

/** The kinds of lines that can be added. */
export function AddLineMenu({ at, onChoose, onClose }: Props) {
  return (
    <Menu anchorEl={at} open={at !== null} onClose={onClose}>
      {KINDS.map(([verb, words]) => (
        <MenuItem key={verb} onClick={() => onChoose(verb)}>
          {words}
        </MenuItem>
      ))}
    </Menu>
  );
}
