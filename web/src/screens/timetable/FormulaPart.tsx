import { useEffect, useRef, useState } from "react";
import { CalculationEditor } from "./CalculationEditor";
import { FormulaEditor } from "./FormulaEditor";
import { useLine } from "./lineContext";
import type { Formula } from "./model";
import { useFormula } from "./useFormula";

interface Props {
  label: string;
  formula: Formula;
  choices?: string[];
  onChange: (formula: Formula) => void;
  onClose: () => void;
}

/** A formula of a box under edit: as words where it is a simple calculation, else as it is written. */
export function FormulaPart({ label, formula, choices, onChange, onClose }: Props) {
  const { rehearsal } = useLine();
  const kept = rehearsal?.formulas[formula.tree];
  const [plain, setPlain] = useState(formula.tree === "");
  if (!plain && formula.tree && !kept) return <div className="quiet">Loading …</div>;
  if (!plain && kept?.calculation) {
    return <CalculationEditor calculation={kept.calculation} onChange={onChange} asFormula={() => setPlain(true)} onClose={onClose} />;
  }
  return (
    <Written
      label={label}
      start={formula.text || kept?.text || ""}
      isNew={formula.tree === ""}
      choices={choices}
      onChange={onChange}
      onClose={onClose}
    />
  );
}

function Written({ label, start, isNew, choices, onChange, onClose }: Omit<Props, "formula"> & { start: string; isNew: boolean }) {
  const { text, setText, read } = useFormula(start, (formula) => onChange(formula), false, isNew);
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const seen = box.current;
    if (!seen) return;
    const grown = new ResizeObserver(() => seen.scrollIntoView({ block: "nearest" })); // its result comes a moment later
    grown.observe(seen);
    return () => grown.disconnect();
  }, []);
  return (
    <div ref={box}>
      <FormulaEditor
        label={label}
        text={text}
        begun={isNew && start !== ""}
        read={read}
        choices={choices}
        onChange={setText}
        onClose={onClose}
      />
    </div>
  );
}
