import { useRef } from "react";

interface Props {
  /** What stands on it. */
  words: string;
  /** What is chosen, for those who do not see where it stands. */
  label: string;
  accept?: string;
  focus?: boolean;
  disabled?: boolean;
  onFile: (file: File) => void;
}

/** A word to press that asks for a file. */
export function ChooseFile({ words, label, accept, focus, disabled, onFile }: Props) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={input}
        type="file"
        hidden
        aria-label={label}
        accept={accept}
        onChange={(event) => {
          const file = event.target.files?.[0];
          event.target.value = ""; // so that the same one can be chosen again
          if (file) onFile(file);
        }}
      />
      <button type="button" className="link" autoFocus={focus} disabled={disabled} onClick={() => input.current?.click()}>
        {words}
      </button>
    </>
  );
}
