import { Autocomplete, TextField } from "@mui/material";
import { useState } from "react";
import type { EditorProps } from "../fieldView";
import { labelNames } from "./names";

/** A record's labels: picked from those of the field, or typed where it may get new ones. Leaving keeps them, Escape does not. */
export function LabelsEditor({ field, value, onDone }: EditorProps) {
  const before = labelNames(field, value);
  const [names, setNames] = useState(before);
  const [text, setText] = useState("");
  const all = [...names, ...(field.grows ? text.split(",").map((t) => t.trim()) : [])].filter(Boolean);
  const keep = () => onDone(all.join("\n") === before.join("\n") ? undefined : all.length > 0 ? all : null);
  return (
    <Autocomplete
      multiple
      openOnFocus
      disableCloseOnSelect
      freeSolo={field.grows}
      options={field.choices.map((c) => c.name)}
      value={names}
      inputValue={text}
      onChange={(_, now) => setNames(now)}
      onInputChange={(_, now) => setText(now)}
      onBlur={keep}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Escape") onDone(undefined);
        if (event.key === "Enter" && !text) keep();
      }}
      renderValue={(chosen, itemProps) =>
        chosen.map((name, index) => {
          const { key, onDelete } = itemProps({ index });
          return (
            <span className="label" key={key}>
              {name}
              <button
                type="button"
                tabIndex={-1}
                aria-label={`Take ${name} away`}
                onMouseDown={(event) => event.preventDefault()}
                onClick={onDelete}
              >
                ×
              </button>
            </span>
          );
        })
      }
      renderInput={(params) => (
        <TextField
          {...params}
          autoFocus
          slotProps={{ ...params.slotProps, htmlInput: { ...params.slotProps.htmlInput, "aria-label": field.name } }}
        />
      )}
    />
  );
}
