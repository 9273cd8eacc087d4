import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from "@mui/material";
import { useState } from "react";
import type { Field } from "../../api/queries";

interface Props {
  left: Field;
  right: Field;
  /** The options that stand for the same: of the left and of the right, by their ids. */
  pairs: string[][];
  onChange: (pairs: string[][]) => void;
}

const YES_NO = [
  { id: "yes", name: "yes" },
  { id: "no", name: "no" },
];
const optionsOf = (field: Field) => (field.choices.length > 0 ? field.choices : YES_NO);

/** Which options of two fields stand for the same, option by option. */
export function MatchOptions({ left, right, pairs, onChange }: Props) {
  const [open, setOpen] = useState(false);
  const matched = optionsOf(left).filter((one) => pairs.some(([ours]) => ours === one.id)).length;
  return (
    <>
      <button className="link left-2" onClick={() => setOpen(true)}>
        {matched} of {optionsOf(left).length} options
      </button>
      {open && <OptionsDialog left={left} right={right} pairs={pairs} onChange={onChange} onClose={() => setOpen(false)} />}
    </>
  );
}

function OptionsDialog({ left, right, pairs, onChange, onClose }: Props & { onClose: () => void }) {
  const [now, setNow] = useState(pairs);
  const firstOf = (ours: string) => now.find(([option]) => option === ours);
  const set = (ours: string, theirs: string) => {
    const rest = now.filter((pair) => pair !== firstOf(ours));
    setNow(theirs ? [...rest, [ours, theirs]] : rest);
  };
  // Several options of the right may stand for one of the left: all but the first are listed by themselves.
  const ofRight = (theirs: string) => now.find((pair) => pair[1] === theirs && pair !== firstOf(pair[0] ?? ""));
  const others = optionsOf(right).filter((one) => ofRight(one.id) || !now.some(([, theirs]) => theirs === one.id));
  const setOther = (theirs: string, ours: string) => {
    const rest = now.filter((pair) => pair !== ofRight(theirs));
    setNow(ours ? [...rest, [ours, theirs]] : rest);
  };
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth>
      <DialogTitle>Match options of {left.name}</DialogTitle>
      <DialogContent>
        <table aria-label="Options">
          <thead>
            <tr>
              <th>{left.name}</th>
              <th>{right.name}</th>
            </tr>
          </thead>
          <tbody>
            {optionsOf(left).map((one) => (
              <tr key={one.id}>
                <td>{one.name}</td>
                <td>
                  <Counterpart
                    label={`Option for ${one.name}`}
                    of={right}
                    value={firstOf(one.id)?.[1]}
                    onChange={(theirs) => set(one.id, theirs)}
                  />
                </td>
              </tr>
            ))}
            {others.map((one) => (
              <tr key={`right ${one.id}`}>
                <td>
                  <Counterpart
                    label={`Option for ${one.name} of ${right.name}`}
                    of={left}
                    value={ofRight(one.id)?.[0]}
                    onChange={(ours) => setOther(one.id, ours)}
                  />
                </td>
                <td>{one.name}</td>
              </tr>
            ))}
          </tbody>
        </table>
        <p className="quiet above-2">Items with an option that has no counterpart keep it; their other fields cross.</p>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button
          variant="contained"
          onClick={() => {
            onChange(now);
            onClose();
          }}
        >
          Save
        </Button>
      </DialogActions>
    </Dialog>
  );
}

interface CounterpartProps {
  label: string;
  of: Field;
  value: string | undefined;
  onChange: (option: string) => void;
}

/** One of a field's options, or none. */
function Counterpart({ label, of, value, onChange }: CounterpartProps) {
  return (
    <select className="find" aria-label={label} value={value ?? ""} onChange={(event) => onChange(event.target.value)}>
      <option value="">no counterpart</option>
      {optionsOf(of).map((option) => (
        <option key={option.id} value={option.id}>
          {option.name}
        </option>
      ))}
    </select>
  );
}
