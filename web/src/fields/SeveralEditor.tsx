import { Autocomplete, TextField, type AutocompleteProps } from "@mui/material";

type Passed<T> = Pick<AutocompleteProps<T, true, false, boolean>, "options" | "freeSolo" | "filterOptions" | "noOptionsText">;

interface SeveralEditorProps<T> extends Passed<T> {
  label: string;
  /** How one of them is called, and what tells it from the others. */
  nameOf: (one: T | string) => string;
  keyOf: (one: T | string) => string;
  chosen: T[];
  onChoose: (now: T[]) => void;
  text: string;
  onType: (text: string) => void;
  onKeep: () => void;
  onLeave: () => void;
}

/** Several of many: picked, removed, found by typing. Leaving keeps them, Escape does not. */
export function SeveralEditor<T>({
  label,
  nameOf,
  keyOf,
  chosen,
  onChoose,
  text,
  onType,
  onKeep,
  onLeave,
  ...passed
}: SeveralEditorProps<T>) {
  return (
    <Autocomplete<T, true, false, boolean>
      multiple
      openOnFocus
      disableCloseOnSelect
      {...passed}
      getOptionLabel={nameOf}
      isOptionEqualToValue={(a, b) => keyOf(a) === keyOf(b)}
      getOptionKey={keyOf}
      value={chosen}
      inputValue={text}
      onChange={(_, now) => onChoose(now as T[])}
      onInputChange={(_, now) => onType(now)}
      onBlur={onKeep}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Escape") onLeave();
        if (event.key === "Enter" && !text) onKeep();
      }}
      renderValue={(several, itemProps) =>
        several.map((one, index) => {
          const { key, onDelete } = itemProps({ index });
          return (
            <span className="label" key={key}>
              {nameOf(one)}
              <button
                type="button"
                tabIndex={-1}
                aria-label={`Remove ${nameOf(one)}`}
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
          slotProps={{ ...params.slotProps, htmlInput: { ...params.slotProps.htmlInput, "aria-label": label } }}
        />
      )}
    />
  );
}
