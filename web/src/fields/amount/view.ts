import type { FieldView } from "../fieldView";
import { inThousands } from "../number/inThousands";

export default { width: 140, isNumber: true, reads: (value) => inThousands(String(value)) } satisfies FieldView;
