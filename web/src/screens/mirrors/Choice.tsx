import { MenuItem, Select } from "@mui/material";

interface ChoiceProps<T extends string> {
  label: string;
  value: T;
  words: Partial<Record<T, string>>;
  onChange: (value: T) => void;
}

/** One of a few, said as a sentence that is completed. */
export function Choice<T extends string>({ label, value, words, onChange }: ChoiceProps<T>) {
  const known = value in words;
  return (
    <div className="cond labelled rule">
      <span>{label}</span>
      <Select
        value={known ? value : ""}
        displayEmpty
        SelectDisplayProps={{ "aria-label": label }}
        onChange={(event) => onChange(event.target.value as T)}
      >
        {!known && <MenuItem value="">{value}</MenuItem>}
        {(Object.entries(words) as [T, string][]).map(([key, text]) => (
          <MenuItem key={key} value={key}>
            {text}
          </MenuItem>
        ))}
      </Select>
    </div>
  );
}
