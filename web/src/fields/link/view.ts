import type { FieldView } from "../fieldView";

export default { width: 180, leads: (value) => [{ words: String(value), href: String(value), download: false }] } satisfies FieldView;
