import type { EditorProps, FieldView } from "../fieldView";
import { OptionsEditor } from "../OptionsEditor";

const OPTIONS = ["yes", "no"].map((word) => ({ id: word, name: word }));
const word = (value: unknown) => (value ? "yes" : "no");

function Editor(props: EditorProps) {
  return <OptionsEditor {...props} options={OPTIONS} />;
}

export default { width: 80, reads: word, typed: word, Editor } satisfies FieldView;
