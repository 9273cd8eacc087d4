import { useMutation } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import type { Field, Wire } from "../../api/queries";
import { upload } from "../../api/upload";
import { useNotices } from "../../frame/Notices";

interface Props {
  field: Field;
  value: Wire | undefined;
  /** The new value; undefined where nothing is to change. */
  onDone: (value: Wire | undefined) => void;
}

/** A file put into a field by hand, or taken away. */
export function FileEditor({ field, value, onDone }: Props) {
  const { fail } = useNotices();
  const first = useRef<HTMLButtonElement>(null);
  const input = useRef<HTMLInputElement>(null);
  const send = useMutation({
    mutationFn: (file: File) => upload(file),
    onSuccess: (kept) => onDone(kept),
    onError: (error) => {
      fail(error);
      onDone(undefined);
    },
  });
  useEffect(() => first.current?.focus(), []);
  if (send.isPending) return <span className="quiet">sending {send.variables.name} …</span>;
  return (
    <span className="row" style={{ gap: 8 }} onKeyDown={(event) => event.key === "Escape" && onDone(undefined)}>
      <input
        ref={input}
        type="file"
        hidden
        aria-label={`A file for ${field.name}`}
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) send.mutate(file);
        }}
      />
      <button ref={first} className="link" onClick={() => input.current?.click()}>
        {value == null ? "choose a file" : "choose another"}
      </button>
      {value != null && (
        <button className="link" onClick={() => onDone(null)}>
          take it away
        </button>
      )}
      <button className="link" onClick={() => onDone(undefined)}>
        leave it
      </button>
    </span>
  );
}
