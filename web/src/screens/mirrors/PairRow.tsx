import { reads } from "../../fields";
import { span } from "../../parts/dates";
import { GapSteps } from "./GapSteps";
import type { MatchedField, Mirror, Row, Side } from "./queries";
import { stateOf } from "./words";

interface Props {
  row: Row;
  mirror: Mirror;
  columns: MatchedField[];
  zone: string;
  index: number;
  onOpen: () => void;
}

/** A pair, or an item that is alone: both sides, and the state between them. */
export function PairRow({ row, mirror, columns, zone, index, onOpen }: Props) {
  return (
    <div className="pair" role="row" aria-rowindex={index + 1}>
      <Half row={row} mirror={mirror} columns={columns} zone={zone} side="left" onOpen={onOpen} />
      <State row={row} />
      <Half row={row} mirror={mirror} columns={columns} zone={zone} side="right" onOpen={onOpen} />
    </div>
  );
}

function Half({ row, mirror, columns, zone, side, onOpen }: Omit<Props, "index"> & { side: Side }) {
  const item = row[side];
  if (!item) {
    return (
      <div className="td whole-side nothing" role="gridcell">
        <GapSteps row={row} mirror={mirror} side={side} />
      </div>
    );
  }
  return columns.map((m, n) => {
    const field = m[side];
    const text = field ? reads(field, item.values[field.id], zone) : "";
    const differs = row.left && row.right && row.differs.includes(m.id);
    const shown = differs ? <mark>{text || "empty"}</mark> : text;
    return (
      <div key={m.id} className="td" role="gridcell" title={text}>
        {n === 0 ? (
          <button className="link plain" onClick={onOpen} aria-label={`Open pair ${text || item.title}`}>
            {shown || item.title || "unnamed"}
          </button>
        ) : (
          shown
        )}
      </div>
    );
  });
}

/** The state of a row, with its mark; behind says since when. */
function State({ row }: { row: Row }) {
  const since = row.left?.waits_since ?? row.right?.waits_since;
  const waits = since && ["in_step", "behind"].includes(row.state);
  const [mark, look, word] = stateOf(waits ? "behind" : row.state);
  const planned = row.plan === "pair" && row.chance !== null && row.chance < 1 ? `${Math.round(row.chance * 100)}% sure` : null;
  return (
    <div className="td middle" role="gridcell">
      <span className={look}>
        {mark} {planned ?? word}
      </span>
      {!waits && row.state === "in_step" && row.open.some((one) => one.state === "drift") && <span className="look"> ≠ differs</span>}
      {!waits && row.state === "in_step" && row.open.some((one) => one.state === "drift") && <span className="look"> ≠ differs</span>}
      {!waits && row.state === "in_step" && row.open.some((one) => one.state === "drift") && <span className="look"> ≠ differs</span>}
      {waits && <span className={look}> {span((Date.now() - new Date(since).getTime()) / 1000)}</span>}
    </div>
  );
}
