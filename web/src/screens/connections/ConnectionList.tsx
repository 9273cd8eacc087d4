import { Button } from "@mui/material";
import { Link, useSearchParams } from "react-router";
import { useApps, useConnections, type Connection } from "../../api/queries";
import { lasting, relative } from "../../parts/dates";
import { KeyDialog } from "./KeyDialog";
import { useConsent } from "./useConsent";

const SAID: Record<string, string> = {
  unknown: "The app’s answer was unexpected or too late. Connect again.",
  refused: "You refused access in the app, so nothing was connected. Connect again to allow it.",
  failed: "The app didn’t complete the connection. Try again in a moment.",
};

export function ConnectionState({ state }: { state: string }) {
  const looks: Record<string, [string, string, string]> = {
    good: ["●", "ok", "Good"],
    expiring: ["◔", "look", "Expiring"],
    empty: ["◌", "look", "Good, nothing shared"],
    failing: ["!", "bad", "Unreachable"],
    refused: ["!", "bad", "Refused"],
    lost: ["!", "bad", "Expired"],
  };
  const [mark, look, words] = looks[state] ?? ["?", "quiet", state];
  return (
    <span className={look}>
      <span className="mk">{mark}</span>
      {words}
    </span>
  );
}

export function ConnectionList() {
  const connections = useConnections().data;
  const apps = useApps().data ?? [];
  const consent = useConsent();
  const [params, setParams] = useSearchParams();
  const byKey = apps.find((a) => a.code === params.get("key") && a.connects === "key");
  const renewed = connections?.find((c) => c.id === Number(params.get("connection")));
  const trouble = SAID[params.get("said") ?? ""];
  const monogram = (c: Connection) => apps.find((a) => a.code === c.app)?.monogram;
  return (
    <main>
      {byKey && (renewed || !params.get("connection")) && (
        <KeyDialog app={byKey} connection={renewed?.id ?? null} at={renewed?.server ?? null} onClose={() => setParams({})} />
      )}
      <div className="row head">
        <h1 className="grow">Connections</h1>
      </div>
      <div className="row wrapped above-2 below-2">
        {apps.map((a) => (
          <Button key={a.code} onClick={() => consent.ask(a.code)} disabled={consent.asking}>
            Connect {a.name}
          </Button>
        ))}
      </div>
      {trouble && <div className="note bad">{trouble}</div>}
      {connections?.length === 0 ? (
        <div className="empty">
          <h2>No connections yet</h2>
          <p>A connection lets Kelvix see only the folders you select in the app. Connect an app to begin.</p>
        </div>
      ) : (
        <table className="list">
          <thead>
            <tr>
              <th>Name</th>
              <th>Account</th>
              <th className="w-200">State</th>
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
