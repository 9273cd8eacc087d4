import { MenuItem, Select } from "@mui/material";
import { useEffect, useState } from "react";
import { useTypeOf } from "../../api/queries";
import { useLine } from "./lineContext";
import type { Formula } from "./model";
import { useReading, type Calculation } from "./useFormula";

const SIGNS = { "+": "+", "-": "−", "*": "×", "/": "÷" } as const;
const UNITS = ["minutes", "hours", "days", "weeks", "months", "years"] as const;

interface Props {
  calculation: Calculation;
  onChange: (formula: Formula) => void;
  asFormula: () => void;
  onClose: () => void;
}

/** A simple calculation as words: Date + 3 days. */
export function CalculationEditor({ calculation, onChange, asFormula, onClose }: Props) {
  const { carried } = useLine();
  const reading = useReading();
  const typeOf = useTypeOf();
  const [amount, setAmount] = useState(calculation.amount);
  const [problem, setProblem] = useState("");
  const known = carried.find((c) => c.line === calculation.line && c.key === calculation.key);
  const timed = !typeOf(known?.type)?.is_number;
  const change = async (next: Partial<Calculation>) => {
    const found = await reading({ calculation: { ...calculation, amount, ...next } });
    setProblem(found.problem?.sentence ?? "");
    if (found.tree) onChange({ kind: "formula", tree: found.tree, text: "" });
  };
  useEffect(() => setAmount(calculation.amount), [calculation.amount]);
  return (
    <div className="row calculation" onKeyDown={(event) => event.key === "Escape" && onClose()}>
      <b>{known?.name.join(" › ") ?? "no longer available"}</b>
      <Select
        value={calculation.sign}
        SelectDisplayProps={{ "aria-label": "Sign" }}
        onChange={(event) => void change({ sign: event.target.value as Calculation["sign"] })}
      >
        {(timed ? (["+", "-"] as const) : (["+", "-", "*", "/"] as const)).map((s) => (
          <MenuItem key={s} value={s}>
            {SIGNS[s]}
          </MenuItem>
        ))}
      </Select>
      <input
        className="find w-64 flush"

        inputMode="decimal"
        aria-label="Amount"
        value={amount}
        autoFocus
        onChange={(event) => {
          setAmount(event.target.value);
          if (event.target.value.trim()) void change({ amount: event.target.value.trim() });
        }}
      />
      {timed && (
        <Select
          value={calculation.unit || "days"}
          SelectDisplayProps={{ "aria-label": "Unit" }}
          onChange={(event) => void change({ unit: event.target.value as Calculation["unit"] })}
        >
          {UNITS.map((u) => (
            <MenuItem key={u} value={u}>
              {u}
            </MenuItem>
          ))}
        </Select>
      )}
      <button type="button" className="link" onClick={asFormula}>
        Edit as formula
      </button>
      {problem && <span className="bad">! {problem}</span>}
    </div>
  );
}
