import { useMe } from "../../api/queries";
import { dateTime } from "../../parts/dates";
import { useParity, type Mirror } from "./queries";

/** The reports of parity checks: both sides read in full, and each pair compared by its values. */
export function ParityTab({ mirror }: { mirror: Mirror }) {
  const zone = useMe().data?.timezone ?? "UTC";
  const reports = useParity(mirror.id).data;
  return (
    <div className="scroll fill above-2">
      <p className="quiet below-2">
        A parity check reads both sides in full and compares each pair. It runs every night, and hourly where an app doesn’t tell of
        deletions. {mirror.sweep_at && mirror.state === "on" && <>The next one is due {dateTime(mirror.sweep_at, zone)}.</>}
      </p>
      {reports?.length === 0 ? (
        <div className="empty">
          <p>No reports yet. Check parity to see one here.</p>
        </div>
      ) : (
        <table className="list" aria-label="Parity reports">
          <thead>
            <tr>
              <th className="w-200">Began</th>
              <th className="num">Pairs</th>
              <th className="num">The same</th>
              <th className="num">Open</th>
              <th className="num">Behind</th>
              <th className="num">Different</th>
            </tr>
          </thead>
          <tbody>
            {reports?.map((one) => (
              <tr key={one.id}>
                <td>{dateTime(one.began_at, zone)}</td>
                {one.ended_at ? (
                  <>
                    <td className="num">{one.pairs.toLocaleString("en-GB")}</td>
                    <td className="num">{one.same.toLocaleString("en-GB")}</td>
                    <td className="num">{one.open}</td>
                    <td className="num">{one.waiting}</td>
                    <td className={one.different ? "num bad" : "num"}>{one.different}</td>
                  </>
                ) : (
                  <td className="quiet" colSpan={5}>
                    under way
                  </td>
                )}
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
