import type { FieldView } from "../fieldView";

export default { width: 180, leads: (shown) => ({ href: shown, download: false }) } satisfies FieldView;
