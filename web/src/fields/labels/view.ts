import type { FieldView } from "../fieldView";
import { LabelsEditor } from "./LabelsEditor";
import { labelNames } from "./names";

export default {
  width: 170,
  reads: (value, field) => (field ? labelNames(field, value) : [value].flat()).join(", "),
  Editor: LabelsEditor,
} satisfies FieldView;
