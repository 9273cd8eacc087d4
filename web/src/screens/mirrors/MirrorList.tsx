import { Button } from "@mui/material";
import { useState } from "react";
import { Link } from "react-router";
import { span } from "../../parts/dates";
import { NewMirror } from "./NewMirror";
import { useMirrors, type Mirror } from "./queries";
import { MIRROR_STATES, stageWords, ways } from "./words";

/** The mirrors, each with its health. */
export function MirrorList() {
  const mirrors = useMirrors().data;
  const [making, setMaking] = useState(false);
  return (
    <main>
      <div className="row head">
        <h1 className="grow">Mirrors</h1>
        <Button variant="contained" onClick={() => setMaking(true)}>
          New mirror
        </Button>
      </div>
      {mirrors?.length === 0 ? (
        <div className="empty">
          <h2>No mirrors yet</h2>
          <p>A mirror keeps two lists the same, in one app or in two, and keeps every edit of both sides. Create one to begin.</p>
          <Button variant="contained" onClick={() => setMaking(true)}>
            Create the first one
          </Button>
        </div>
      ) : (
        <table className="list" aria-label="Mirrors">
          <colgroup>
            <col />
            <col />
            <col className="w-150" />
            <col className="w-112" />
            <col className="w-260" />
          </colgroup>
          <thead>
            <tr>
              <th>Left</th>
              <th>Right</th>
              <th>State</th>
              <th className="num">Crosses in</th>
              <th>Items</th>
            </tr>
          </thead>
          <tbody>
            {mirrors?.map((mirror) => (
              <One key={mirror.id} mirror={mirror} />
            ))}
          </tbody>
        </table>
      )}
      {making && <NewMirror onClose={() => setMaking(false)} />}
    </main>
  );
}

function One({ mirror }: { mirror: Mirror }) {
  const [look, word] = MIRROR_STATES[mirror.state];
  return (
    <tr>
      <td>
        <Link to={`/mirrors/${mirror.id}`}>{mirror.left.name}</Link>
        <span className="det">
          {mirror.left.app_name} · {ways(mirror).toLowerCase()}
        </span>
      </td>
      <td>
        <Link to={`/mirrors/${mirror.id}`}>{mirror.right.name}</Link>
        <span className="det">{mirror.right.app_name}</span>
      </td>
      <td title={mirror.reason ?? mirror.problem ?? ""}>
        <span className={look === "on" ? "ok" : look === "off" ? "look" : "quiet"}>
          <span className="mk">{mirror.state === "on" ? "●" : mirror.state === "stopped" ? "!" : "○"}</span>
          {word}
        </span>
        <span className="det">{mirror.problem ? "an app does not respond" : mirror.reason ? "see why" : stageWords(mirror)}</span>
      </td>
      <td className="num">{mirror.delay === null ? "" : span(mirror.delay / 1000)}</td>
      <td>
        <Health mirror={mirror} />
      </td>
    </tr>
  );
}

/** How many items are in step, and what needs somebody. */
function Health({ mirror }: { mirror: Mirror }) {
  const total = Object.values(mirror.counts).reduce((sum, n) => sum + n, 0);
  const inStep = mirror.counts.in_step ?? 0;
  const open = (mirror.counts.conflict ?? 0) + (mirror.counts.asked ?? 0) + (mirror.counts.doubt ?? 0);
  if (total === 0) return <span className="quiet">none yet</span>;
  return (
    <>
      {inStep.toLocaleString("en-GB")} of {total.toLocaleString("en-GB")} in step
      {open > 0 && <span className="bad"> · {open === 1 ? "1 needs you" : `${open} need you`}</span>}
    </>
  );
}
