import { Button } from "@mui/material";
import { Link, useSearchParams } from "react-router";
import { useApps, useConnections, type Connection } from "../../api/queries";
import { lasting, relative } from "../../parts/dates";
import { useConsent } from "./useConsent";

const SAID: Record<string, string> = {
  unknown: "This answer from the app was not asked for in this session, or came too late. Connect again.",
  refused: "Access was refused in the app’s window, so nothing was connected. Connect again when you want to allow it.",
  failed: "The app did not finish giving access. Nothing was connected; try again in a moment.",
};

export function ConnectionState({ state }: { state: string }) {
  const looks: Record<string, [string, string, string?]> = {
    good: ["●", "ok"],
    expiring: ["◔", "look"],
    empty: ["◌", "look", "nothing shared"],
    failing: ["!", "bad", "unreachable"],
    refused: ["!", "bad"],
    lost: ["!", "bad"],
  };
  const [mark, look, words] = looks[state] ?? ["?", "quiet"];
  return (
    <span className={look}>
      <span className="mk">{mark}</span>
      {words ?? state}
    </span>
  );
}

export function ConnectionList() {
  const connections = useConnections().data;
  const apps = useApps().data ?? [];
  const consent = useConsent();
  const [params] = useSearchParams();
  const trouble = SAID[params.get("said") ?? ""];
  const monogram = (c: Connection) => apps.find((a) => a.code === c.app)?.monogram;
  return (
    <main>
      <div className="row head">
        <h1 className="grow">Connections</h1>
        {apps.map((a) => (
          <Button key={a.code} variant="contained" onClick={() => consent.ask(a.code)} disabled={consent.asking}>
            Connect {a.name}
          </Button>
        ))}
      </div>
      {trouble && <div className="note bad">{trouble}</div>}
      {connections?.length === 0 ? (
        <div className="empty">
          <h2>Nothing is connected yet</h2>
          <p>A connection lets Kelvix see exactly the folders that you tick in the app’s own window, and no others.</p>
        </div>
      ) : (
        <table className="list">
          <thead>
            <tr>
              <th>Name</th>
              <th>Account</th>
              <th className="w-130">State</th>
              <th>Used by</th>
              <th className="w-150">Expires</th>
            </tr>
          </thead>
          <tbody>
            {connections?.map((c) => (
              <tr key={c.id}>
                <td>
                  <span className="mono">{monogram(c)}</span>
                  <Link to={`/connections/${c.id}`}>{c.name}</Link>
                </td>
                <td>{c.account}</td>
                <td>
                  <ConnectionState state={c.state} />
                  {c.failing_since && (
                    <span className="det" title={c.reason ?? ""}>
                      {lasting(c.failing_since)}
                    </span>
                  )}
                </td>
                <td>{c.used_by.join(", ") || <span className="quiet">nothing yet</span>}</td>
                <td>{c.expires_at ? relative(c.expires_at) : "never"}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </main>
  );
}
