import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { reads } from "../../fields";
import { dateTime } from "../../parts/dates";

const KINDS: Record<string, string> = { add: "added", update: "changed", delete: "deleted", restore: "restored" };

/** Every change of a record, the newest first, each with a way back. */
export function History({ detail, zone, onUndo }: { detail: Schemas["RecordDetail"]; zone: string; onUndo: (seq: number) => void }) {
  const field = (id: string) => detail.database.fields.find((f) => f.id === id);
  return (
    <table>
      <tbody>
        {detail.history.map((c) => (
          <tr key={c.seq}>
            <td className="w-130">{dateTime(c.at, zone)}</td>
            <td className="wrap">
              <b>{c.mirror ? <Link to={`/mirrors/${c.mirror}`}>{c.by}</Link> : c.by}</b> {KINDS[c.kind] ?? c.kind}
              {c.kind === "update" &&
                Object.entries(c.after ?? {}).map(([id, after]) => {
                  const of = field(id);
                  return of ? (
                    <div key={id}>
                      {of.name}: <s className="quiet">{reads(of, c.before?.[id], zone).slice(0, 80)}</s>{" "}
                      {reads(of, after, zone).slice(0, 80)}
                    </div>
                  ) : null;
                })}
            </td>
            <td className="w-64">
              <button className="link" onClick={() => onUndo(c.seq)}>
                Undo
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
