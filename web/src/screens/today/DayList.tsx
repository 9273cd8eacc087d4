import { Button } from "@mui/material";
import { Link } from "react-router";
import { day, relative, seconds, span } from "../../parts/dates";
import { RunState } from "../timetable/runState";
import { useDayList, type Entry } from "./queries";

const CROSSED: Record<string, string> = {
  create: "created by a mirror",
  update: "mirrored",
  delete: "deleted by a mirror",
  restore: "restored by a mirror",
  comment: "comment added by a mirror",
};

/** What came in and what went out, set like departures: the newest on top, live. */
export function DayList({ zone }: { zone: string }) {
  const list = useDayList();
  const entries = list.data?.pages.flatMap((p) => p.entries) ?? [];
  const today = day(new Date().toISOString(), zone);
  return (
    <div className="scroll">
      <table className="list" aria-label="Received and written">
        <colgroup>
          <col className="w-84" />
          <col className="w-130" />
          <col className="w-40" />
          <col className="w-168" />
          <col />
          <col className="w-112" />
        </colgroup>
        <thead>
          <tr>
            <th>Time</th>
            <th>From</th>
            <th />
            <th>To</th>
            <th>What</th>
            <th>State</th>
          </tr>
        </thead>
        <tbody>
          {entries.map((entry) => (
            <Departure key={entry.run ?? `crossed ${entry.crossing}`} entry={entry} zone={zone} today={today} />
          ))}
        </tbody>
      </table>
      {list.data && entries.length === 0 && (
        <div className="empty">
          <h2>No activity yet</h2>
          <p>Turn on a workflow or a mirror to see items arrive.</p>
        </div>
      )}
      {list.hasNextPage && (
        <p className="padded">
          <Button onClick={() => void list.fetchNextPage()} disabled={list.isFetchingNextPage}>
            Earlier
          </Button>
        </p>
      )}
    </div>
  );
}

function Departure({ entry, zone, today }: { entry: Entry; zone: string; today: string }) {
  const on = day(entry.at, zone);
  const [first, ...others] = entry.targets;
  return (
    <tr title={`${entry.by}, ${relative(entry.at)}`}>
      <td className="t">{on === today ? seconds(entry.at, zone) : on.replace(/ \d{4}$/, "")}</td>
      <td>
        <span className="mono">{entry.source.monogram}</span>
        {entry.source.name}
      </td>
      <td className={first ? "" : "st"}>{first ? "→" : "▬"}</td>
      <td>
        {first ? (
          <>
            <span className="mono">{first.monogram}</span>
            {first.name}
            {others.length > 0 && ` +${others.length}`}
          </>
        ) : (
          <span className="quiet">nowhere</span>
        )}
      </td>
      <td>
        <Link to={entry.run === null ? `/mirrors/${entry.mirror}/history` : `/runs/${entry.run}`}>{entry.title}</Link>
        {entry.kind in CROSSED && <span className="quiet"> · {CROSSED[entry.kind]}</span>}
        {entry.kind === "try" && <span className="quiet"> · a try</span>}
        {entry.said && <span className="bad"> · {entry.said}</span>}
      </td>
      <td title={entry.seconds === null ? "" : `took ${span(entry.seconds)}`}>
        <RunState state={entry.state} />
      </td>
    </tr>
  );
}
