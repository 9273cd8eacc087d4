import { useState } from "react";
import { SeveralEditor } from "../SeveralEditor";
import type { EditorProps } from "../fieldView";
import { labelNames } from "./names";

/** A record's labels: picked from those of the field, or typed where it may get new ones. */
export function LabelsEditor({ field, value, onDone }: EditorProps) {
  const before = labelNames(field, value);
  const [names, setNames] = useState(before);
  const [text, setText] = useState("");
  const all = [...names, ...(field.grows ? text.split(",").map((t) => t.trim()) : [])].filter(Boolean);
  return (
    <SeveralEditor<string>
      label={field.name}
      freeSolo={field.grows}
      options={field.choices.map((c) => c.name)}
      nameOf={(name) => name}
      keyOf={(name) => name}
      chosen={names}
      onChoose={setNames}
      text={text}
      onType={setText}
      onKeep={() => onDone(all.join("\n") === before.join("\n") ? undefined : all.length > 0 ? all : null)}
      onLeave={() => onDone(undefined)}
    />
  );
}
