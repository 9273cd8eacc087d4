import type { FieldView } from "../fieldView";

/** With commas between thousands. */
const reads: FieldView["reads"] = (value) => String(value).replace(/\B(?=(\d{3})+(?!\d))(?<!\.\d*)/g, ",");

export default { width: 100, isNumber: true, reads } satisfies FieldView;
