import type { Field } from "../../api/queries";
import { reads } from "../../fields";
import { Markdown } from "../../parts/Markdown";
import { TONES } from "../MarksEditor";
import type { Shown, View } from "../queries";

interface Props {
  /** Nothing while it is read. */
  shown: Shown | undefined;
  columns: Field[];
  /** The field that is the records' text. */
  text: Field | undefined;
  marks: View["marks"];
  zone: string;
  isChosen: boolean;
  onOpen: (record: number) => void;
}

/** A record to be read: its title and text, and beside them what else it has. */
export function Article({ shown, columns, text, marks, zone, isChosen, onOpen }: Props) {
  if (!shown) return <article className="article" aria-busy="true" />;
  const { record } = shown;
  const [title, ...others] = columns;
  const mark = shown.mark == null ? undefined : marks[shown.mark];
  const words = text && String(record.values[text.id] ?? "");
  const filled = others.filter((f) => reads(f, record.values[f.id], zone));
  return (
    <article className={isChosen ? "article chosen" : "article"}>
      <div>
        <h3>
          {mark && (
            <i className={`sign mark-${mark.tone}`} role="img" aria-label={TONES[mark.tone].words}>
              {TONES[mark.tone].sign}{" "}
            </i>
          )}
          <button className="link plainly" onClick={() => onOpen(record.id)}>
            {(title && reads(title, record.values[title.id], zone)) || "Untitled"}
          </button>
        </h3>
        {words && (
          <div className="md">
            <Markdown>{words}</Markdown>
          </div>
        )}
      </div>
      <dl>
        {filled.map((f) => (
          <div key={f.id}>
            <dt>{f.name}</dt>
            <dd>{reads(f, record.values[f.id], zone)}</dd>
          </div>
        ))}
      </dl>
    </article>
  );
}
