import { MenuItem, Select } from "@mui/material";
import { useState } from "react";
import { useTypeOf } from "../../api/queries";
import type { Carried } from "./model";

interface Props {
  value: Carried | undefined;
  words: string[];
  title: string;
  onChange: (words: string[]) => void;
}

const DAY = /^\d{4}-\d\d-\d\d$/;

/** What a value is compared with: picked where it can be one of a few, a day where it tells one, else words separated by commas. */
export function ComparedWith({ value, words, title, onChange }: Props) {
  const typeOf = useTypeOf();
  const joined = words.join(", ");
  const [typed, setTyped] = useState(joined);
  const split = (text: string) =>
    text
      .split(",")
      .map((w) => w.trim())
      .filter(Boolean);
  if (value?.choices?.length) {
    const others = words.filter((w) => !value.choices?.includes(w)); // typed before, or renamed since
    return (
      <Select
        multiple
        displayEmpty
        value={words}
        SelectDisplayProps={{ "aria-label": "Compared with", title }}
        renderValue={(chosen) => chosen.join(", ") || "Choose"}
        onChange={(event) => onChange([event.target.value].flat())}
      >
        {[...value.choices, ...others].map((c) => (
          <MenuItem key={c} value={c}>
            {words.includes(c) ? "✓ " : ""}
            {c}
          </MenuItem>
        ))}
      </Select>
    );
  }
  if (typeOf(value?.type)?.tells_day && words.every((w) => DAY.test(w)) && words.length < 2) {
    return (
      <input
        type="date"
        className="find flush"
        aria-label="Compared with"
        title={title}
        value={words[0] ?? ""}
        onChange={(event) => onChange(event.target.value ? [event.target.value] : [])}
      />
    );
  }
  return (
    <input
      className="find flush"
      aria-label="Compared with"
      placeholder="Words, separated by commas"
      title={title}
      value={split(typed).join(", ") === joined ? typed : joined}
      onChange={(event) => {
        setTyped(event.target.value);
        onChange(split(event.target.value));
      }}
    />
  );
}
