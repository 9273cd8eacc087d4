import type { FieldView } from "../fieldView";

export default { width: 240 } satisfies FieldView;
