import { useTypeOf, type Field, type RecordOut } from "../../api/queries";
import { reads } from "../../fields";
import { TONES } from "../MarksEditor";
import type { View } from "../queries";

interface Props {
  record: RecordOut;
  /** The first is its title; of the others the filled ones are told below. */
  lines: Field[];
  zone: string;
  mark: NonNullable<View["marks"]>[number] | undefined;
}

const TOLD = 3; // fields below the title

/** A record in two lines: its title, and what it tells beside: a day at the right. */
export function Entry({ record, lines, zone, mark }: Props) {
  const typeOf = useTypeOf();
  const [title, ...others] = lines;
  const filled = others.filter((f) => reads(f, record.values[f.id], zone));
  const aside = filled.find((f) => typeOf(f.type)?.tells_day);
  const told = filled.filter((f) => f !== aside).slice(0, TOLD);
  const isMeant = mark && aside && (mark.filter.tests ?? []).some((t) => t.field === aside.id);
  return (
    <>
      <b>
        {mark && (
          <i className={`sign mark-${mark.tone}`} role="img" aria-label={TONES[mark.tone].words}>
            {TONES[mark.tone].sign}{" "}
          </i>
        )}
        {(title && reads(title, record.values[title.id], zone)) || "Untitled"}
      </b>
      <span className="told">
        <span>{told.map((f) => reads(f, record.values[f.id], zone)).join(" · ")}</span>
        {aside && <em className={isMeant ? `mark-${mark.tone}` : undefined}>{reads(aside, record.values[aside.id], zone)}</em>}
      </span>
    </>
  );
}
