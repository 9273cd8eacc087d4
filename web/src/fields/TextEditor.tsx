import { useState } from "react";
import { typed } from ".";
import type { EditorProps } from "./fieldView";

/** A value typed as text; the server reads it. */
export function TextEditor({ field, value, zone, begins, refused, onDone }: EditorProps) {
  const before = typed(field, value, zone);
  const [text, setText] = useState(refused ? String(refused.typed ?? "") : (begins ?? before));
  const keep = () => onDone(text === before ? undefined : text === "" ? null : text);
  return (
    <input
      aria-label={field.name}
      aria-invalid={!!refused}
      title={refused?.problem}
      className={refused ? "refused" : undefined}
      autoFocus
      value={text}
      onChange={(e) => setText(e.target.value)}
      onFocus={(e) => begins === undefined && e.target.select()}
      onBlur={keep}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Enter") keep();
        if (e.key === "Escape") onDone(undefined);
      }}
    />
  );
}
