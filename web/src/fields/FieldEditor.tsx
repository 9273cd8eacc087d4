import { viewOf } from ".";
import type { EditorProps } from "./fieldView";
import { TextEditor } from "./TextEditor";

/** A value edited in place: Enter or leaving keeps it, Escape leaves it as it was. */
export function FieldEditor(props: EditorProps) {
  const Editor = viewOf(props.field).Editor ?? TextEditor;
  return <Editor {...props} />;
}
