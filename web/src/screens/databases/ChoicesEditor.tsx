import { useState } from "react";

interface Props {
  label: string;
  /** One of them, as it is called: choice or label. */
  word: string;
  choices: string[];
  onChange: (choices: string[]) => void;
}

const fold = (text: string) => text.trim().toLowerCase();

/** Choices, entered one by one; none is there twice. */
export function ChoicesEditor({ label, word, choices, onChange }: Props) {
  const [text, setText] = useState("");
  const [problem, setProblem] = useState("");
  const add = () => {
    const next = [...choices];
    const twice: string[] = [];
    for (const one of text.split(",").map((c) => c.trim())) {
      if (!one) continue;
      if (next.some((c) => fold(c) === fold(one))) twice.push(one);
      else next.push(one);
    }
    setProblem(twice.length > 0 ? `“${twice.join("”, “")}” is already there.` : "");
    setText(twice.join(", ")); // stays, to be corrected
    if (next.length > choices.length) onChange(next);
  };
  return (
    <div role="group" aria-label={label}>
      {choices.map((c) => (
        <span className="label" key={c}>
          {c}
          <button type="button" aria-label={`Remove ${word} ${c}`} onClick={() => onChange(choices.filter((o) => o !== c))}>
            ×
          </button>
        </span>
      ))}
      <input
        className="find flush w-130"
        aria-label={`Add ${word} to ${label}`}
        aria-invalid={problem !== ""}
        placeholder={`Add ${word}`}
        value={text}
        onChange={(event) => setText(event.target.value)}
        onKeyDown={(event) => {
          if (event.key !== "Enter") return;
          event.preventDefault(); // it does not send the form that this stands in
          add();
        }}
        onBlur={() => text.trim() && add()}
      />
      {problem && <small className="bad block">{problem}</small>}
    </div>
  );
}
