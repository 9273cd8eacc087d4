import { MenuItem, Select } from "@mui/material";
import { useEffect, useState } from "react";
import { viewOf } from "../../lines";
import { useLine } from "./lineContext";
import { fill, type Cell, type Fills, type Part } from "./model";
import { useReading } from "./useFormula";

interface Props<L extends Fills> {
  line: L;
  field: string;
  name: string;
  required: boolean;
  cell: Cell | undefined;
  onChange: (line: L) => void;
}

type Choice = "leave" | "clear" | "text";

/**
 * What is done if a value is empty: on Update lines the current value is kept or cleared; anywhere a text can stand in. It is asked
 * where that can matter: on lines that change records, and where the value is empty in the chosen sample.
 */
export function IfEmpty<L extends Fills>({ line, field, name, required, cell, onChange }: Props<L>) {
  const { rehearsal } = useLine();
  const reading = useReading();
  const filled = line.fillings.find((f) => f.field === field);
  const only = filled?.filling.length === 1 ? filled.filling[0] : undefined;
  const kept = only?.formula ? rehearsal?.formulas[only.formula.tree]?.fallback : undefined;
  const changes = !!viewOf(line.verb).there && !required;
  const [text, setText] = useState<string | null>(null);
  useEffect(() => setText(null), [kept?.text]);
  if (!filled?.filling.some((p) => p.ref || p.formula)) return null;
  const ref = only?.ref ?? (kept ? { line: kept.line, value: kept.key } : undefined);
  const result = cell?.results.find((r) => r.field === field);
  const isEmpty = result?.state === "empty" || (result?.state === "put_right" && result.sentence.endsWith("empty in this item"));
  const asks = kept ?? (text !== null || isEmpty ? ref : undefined);
  if (!changes && !asks) return null;
  const put = (part: Part) => onChange(fill(line, [{ field, filling: [part] }]));
  const set = (choice: Choice) => {
    if (choice === "text") return setText("");
    setText(null);
    const filling = kept && ref ? [{ ref }] : filled.filling;
    onChange({ ...line, fillings: line.fillings.map((f) => (f.field === field ? { ...f, filling, empty: choice } : f)) });
  };
  const keep = async () => {
    if (!ref || text === null || text === kept?.text) return setText(null);
    if (!text) return put({ ref });
    const read = await reading({ fallback: { line: ref.line, key: ref.value, text } });
    if (read.tree) put({ formula: { kind: "formula", tree: read.tree, text: "" } });
  };
  const choice: Choice = kept || text !== null ? "text" : changes ? filled.empty : "leave";
  return (
    <div className="row quiet close wraps">
      If empty:
      <Select
        value={choice}
        className="small"
        SelectDisplayProps={{ "aria-label": `If ${name} is empty` }}
        onChange={(event) => set(event.target.value as Choice)}
      >
        <MenuItem value="leave">{changes ? "keep current value" : required ? "report a problem" : "leave empty"}</MenuItem>
        {changes && <MenuItem value="clear">clear the value</MenuItem>}
        {ref && <MenuItem value="text">use this text</MenuItem>}
      </Select>
      {choice === "text" && (
        <input
          className="find flush w-130"
          aria-label={`Text if ${name} is empty`}
          autoFocus={text === ""}
          value={text ?? kept?.text ?? ""}
          onChange={(event) => setText(event.target.value)}
          onBlur={() => void keep()}
          onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        />
      )}
    </div>
  );
}
