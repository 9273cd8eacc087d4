import { useMutation } from "@tanstack/react-query";
import { upload } from "../../api/upload";
import { useNotices } from "../../frame/Notices";
import { ChooseFile } from "../../parts/ChooseFile";
import type { EditorProps } from "../fieldView";
import { filesOf } from "./filesOf";

/** Add files to a field one by one, or remove them. */
export function SeveralFilesEditor({ field, value, onDone }: EditorProps) {
  const { fail } = useNotices();
  const files = filesOf(value);
  const send = useMutation({
    mutationFn: (file: File) => upload(file),
    onSuccess: (kept) => onDone([...files, kept]),
    onError: (error) => {
      fail(error);
      onDone(undefined);
    },
  });
  if (send.isPending) return <span className="quiet">Uploading {send.variables.name} …</span>;
  const without = (at: number) => files.filter((_, n) => n !== at);
  return (
    <span className="row wraps" onKeyDown={(event) => event.key === "Escape" && onDone(undefined)}>
      {files.map((file, at) => (
        <span className="label" key={file[3]}>
          {file[0]}
          <button type="button" aria-label={`Remove ${file[0] ?? "it"}`} onClick={() => onDone(files.length > 1 ? without(at) : null)}>
            ×
          </button>
        </span>
      ))}
      <ChooseFile
        words={files.length > 0 ? "Add another file" : "Choose file"}
        label={`File for ${field.name}`}
        focus
        onFile={(file) => send.mutate(file)}
      />
      <button className="link" onClick={() => onDone(undefined)}>
        Cancel
      </button>
    </span>
  );
}
