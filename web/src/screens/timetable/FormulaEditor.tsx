import { lazy, Suspense } from "react";
import type { FormulaProps } from "./FormulaCode";

type Code = (typeof import("./FormulaCode"))["default"];
let loaded: Code | null = null;

/** Its library is large: a screen on which formulas can be opened loads it once it stands, so that it is there with the first key. */
export const loadFormulas = () =>
  import("./FormulaCode").then((module) => {
    loaded = module.default;
    return module;
  });
const Late = lazy(loadFormulas);

/** A formula as it is written. */
export function FormulaEditor(props: FormulaProps) {
  const Now = loaded;
  if (Now) return <Now {...props} />;
  return (
    <Suspense fallback={<div className="quiet">Loading …</div>}>
      <Late {...props} />
    </Suspense>
  );
}
