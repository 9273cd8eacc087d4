interface Count {
  key: string;
  word: string;
  number: number;
  look?: string;
}

interface Props {
  label: string;
  counts: Count[];
  chosen: string;
  onChoose: (key: string) => void;
}

/** How many items there are of each kind: one that is chosen is the filter. */
export function Counts({ label, counts, chosen, onChoose }: Props) {
  return (
    <div className="counts" role="group" aria-label={label}>
      {counts.map(({ key, word, number, look }) => (
        <button key={key} aria-pressed={chosen === key} onClick={() => onChoose(key)}>
          <b className={number > 0 ? look : undefined}>{number.toLocaleString("en-GB")}</b>
          {word}
        </button>
      ))}
    </div>
  );
}
