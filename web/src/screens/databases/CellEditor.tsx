import { useState } from "react";
import type { Field, Wire } from "../../api/queries";
import { FileEditor } from "./FileEditor";
import { LabelsEditor } from "./LabelsEditor";
import { typed } from "./values";

interface Props {
  field: Field;
  value: Wire | undefined;
  zone: string;
  /** The new value; undefined where nothing is to change. */
  onDone: (value: Wire | undefined) => void;
}

/** A value edited in place: Enter or leaving keeps it, Escape leaves it as it was. */
export function CellEditor({ field, value, zone, onDone }: Props) {
  const before = typed(field, value, zone);
  const [text, setText] = useState(before);
  const keep = (now: string) => onDone(now === before ? undefined : now === "" ? null : now);
  const label = field.name;
  if (field.type === "labels") return <LabelsEditor field={field} value={value} onDone={onDone} />;
  if (field.type === "file") return <FileEditor field={field} value={value} onDone={onDone} />;
  if (field.type === "choice" || field.type === "yes_no") {
    const options = field.type === "choice" ? field.choices : [{ id: "yes", name: "yes" }, { id: "no", name: "no" }];
    return (
      <select aria-label={label} autoFocus value={text} onChange={(e) => keep(e.target.value)} onBlur={() => onDone(undefined)} onKeyDown={(e) => e.key === "Escape" && onDone(undefined)}>
        <option value="">empty</option>
        {options.map((o) => (
          <option key={o.id} value={o.id}>
            {o.name}
          </option>
        ))}
      </select>
    );
  }
  return (
    <input
      aria-label={label}
      autoFocus
      value={text}
      onChange={(e) => setText(e.target.value)}
      onFocus={(e) => e.target.select()}
      onBlur={() => keep(text)}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Enter") keep(text);
        if (e.key === "Escape") onDone(undefined);
      }}
    />
  );
}
