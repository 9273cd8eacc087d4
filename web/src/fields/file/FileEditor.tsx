import { useMutation } from "@tanstack/react-query";
import { upload } from "../../api/upload";
import { useNotices } from "../../frame/Notices";
import { ChooseFile } from "../../parts/ChooseFile";
import type { EditorProps } from "../fieldView";

/** A file put into a field by hand, or taken away. */
export function FileEditor({ field, value, onDone }: EditorProps) {
  const { fail } = useNotices();
  const send = useMutation({
    mutationFn: (file: File) => upload(file),
    onSuccess: (kept) => onDone(kept),
    onError: (error) => {
      fail(error);
      onDone(undefined);
    },
  });
  if (send.isPending) return <span className="quiet">Uploading {send.variables.name} …</span>;
  return (
    <span className="row wraps" onKeyDown={(event) => event.key === "Escape" && onDone(undefined)}>
      <ChooseFile
        words={value == null ? "Choose file" : "Choose another file"}
        label={`File for ${field.name}`}
        focus
        onFile={(file) => send.mutate(file)}
      />
      {value != null && (
        <button className="link" onClick={() => onDone(null)}>
          Remove file
        </button>
      )}
      <button className="link" onClick={() => onDone(undefined)}>
        Cancel
      </button>
    </span>
  );
}
