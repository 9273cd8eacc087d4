import type { FieldView } from "../fieldView";

export default { width: 96 } satisfies FieldView;
