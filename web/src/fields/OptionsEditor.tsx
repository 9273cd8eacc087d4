import { typed } from ".";
import type { EditorProps } from "./fieldView";

interface Props extends EditorProps {
  options: { id: string; name: string }[];
}

/** A value picked from a few. */
export function OptionsEditor({ field, value, zone, options, onDone }: Props) {
  const before = typed(field, value, zone);
  const keep = (now: string) => onDone(now === before ? undefined : now || null);
  return (
    <select
      aria-label={field.name}
      autoFocus
      defaultValue={before}
      onChange={(e) => keep(e.target.value)}
      onBlur={() => onDone(undefined)}
      onKeyDown={(e) => e.key === "Escape" && onDone(undefined)}
    >
      <option value="">empty</option>
      {options.map((o) => (
        <option key={o.id} value={o.id}>
          {o.name}
        </option>
      ))}
    </select>
  );
}
