import { Button } from "@mui/material";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import { answer, client, said } from "../../api/client";
import { useApps, useSight } from "../../api/queries";
import { FirstSteps } from "../start/FirstSteps";
import { useNotices } from "../../frame/Notices";
import { dateTime, relative } from "../../parts/dates";
import { ConnectionCosts } from "./ConnectionCosts";
import { ConnectionState } from "./ConnectionList";
import { useConsent } from "./useConsent";

/** One connection: whose account, what it can see, what it cannot, and how to widen it. */
export function ConnectionScreen() {
  const id = Number(useParams().connection);
  const path = { params: { path: { connection_id: id } } };
  const navigate = useNavigate();
  const { tell, fail } = useNotices();
  const remove = useMutation({
    mutationFn: () => answer(client.DELETE("/api/v1/connections/{connection_id}", path)),
    onSuccess: () => void navigate("/connections"),
    onError: fail,
  });
  // Once it is being removed it is not asked for: the live stream tells of the removal before the answer to it comes.
  const stands = remove.isIdle || remove.isError;
  const kept = useQuery({
    queryKey: ["connections", id],
    enabled: stands,
    queryFn: () => answer(client.GET("/api/v1/connections/{connection_id}", path)),
    retry: false,
  });
  const sight = useSight(stands ? id : null);
  const toAnother = useSearchParams()[0].get("said") === "another";
  const app = useApps().data?.find((a) => a.code === kept.data?.app);
  const consent = useConsent();
  const queries = useQueryClient();
  const [name, setName] = useState<string | null>(null);
  const rename = useMutation({
    mutationFn: (to: string) => answer(client.PATCH("/api/v1/connections/{connection_id}", { ...path, body: { name: to } })),
    onSuccess: () => {
      setName(null);
      void queries.invalidateQueries({ queryKey: ["connections"] });
      tell("Renamed.");
    },
    onError: fail,
  });
  if (kept.error) {
    return (
      <main>
        <div className="empty">
          <h1>Connection not found</h1>
          <p>{said(kept.error)}</p>
        </div>
      </main>
    );
  }
  if (!kept.data || !app) return <main />;
  const connection = kept.data;
  const seen = sight.data;
  const widen = () => consent.ask(connection.app, connection.id);
  const byKey = app.connects === "key";
  const renew = seen?.finding === "refused" || ["refused", "lost", "expiring"].includes(connection.state);
  return (
    <main>
      <div className="row head top">
        <div className="grow">
          <h1>
            <input
              aria-label="Connection name"
              value={name ?? connection.name}
              onChange={(event) => setName(event.target.value)}
              onBlur={() => name?.trim() && name !== connection.name && rename.mutate(name)}
              onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
            />
          </h1>
          <div className="sub">
            <ConnectionState state={connection.state} /> · {app.name} of <b>{connection.account}</b>
            {connection.expires_at && (
              <>
                {" "}
                · expires {dateTime(connection.expires_at, "UTC")}, {relative(connection.expires_at)}
              </>
            )}
          </div>
        </div>
        <Button onClick={() => void sight.refetch()}>Check connection</Button>
        <Button variant="contained" onClick={widen} disabled={consent.asking}>
          {byKey ? "Replace key" : renew ? "Reconnect" : "Change access"}
        </Button>
        <Button color="error" onClick={() => remove.mutate()}>
          Remove
        </Button>
      </div>
      <FirstSteps strip />
      {toAnother && (
        <div className="note bad" role="alert">
          You signed in to {app.name} with a different account, so nothing was changed. This connection belongs to {connection.account}, and
          workflows read the {app.items_word} of that account. Sign in to {app.name} as {connection.account} and{" "}
          {renew ? "reconnect" : "change access"} again. To use the other account, connect {app.name} again and choose the new connection in
          the workflows.
        </div>
      )}
      {sight.isLoading && <p className="padded">Asking {app.name} …</p>}
      {seen && (
        <div
          className={
            seen.finding === "good" ? "note good" : seen.finding === "all_empty" || seen.finding === "no_answer" ? "note" : "note bad"
          }
          role="status"
        >
          {seen.sentence} {seen.advice}{" "}
          {(seen.finding === "nothing_shared" || seen.finding === "refused") && (
            <button className="link" onClick={widen}>
              {byKey ? "Replace key" : seen.finding === "refused" ? "Reconnect" : "Change access"}
            </button>
          )}
        </div>
      )}
      {seen && seen.shared.length > 0 && (
        <>
          <h2 className="above-2">What it can see</h2>
          <table className="list">
            <thead>
              <tr>
                <th>{app.container_word[0]?.toUpperCase() + app.container_word.slice(1)}</th>
                <th className="w-130">{app.items_word[0]?.toUpperCase() + app.items_word.slice(1)}</th>
                <th>Link</th>
              </tr>
            </thead>
            <tbody>
              {seen.shared.map((c) => (
                <tr key={c.id}>
                  <td>
                    <b>{c.full_name}</b>
                  </td>
                  <td>{c.items || <span className="quiet">empty</span>}</td>
                  <td>
                    <a href={c.link} target="_blank" rel="noreferrer">
                      {c.link}
                    </a>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      {seen && seen.not_shared.length > 0 && (
        <>
          <h2 className="above-4">What it can’t see</h2>
          <p>
            {seen.not_shared.join(", ")}.{" "}
            <button className="link" onClick={widen}>
              {byKey ? "Replace key" : "Change access"}
            </button>{" "}
            {byKey ? "with one that reaches more." : `to share more of it: ${app.name} asks again, with what is shared now ticked.`}
          </p>
        </>
      )}
      {seen && seen.shared.length > 0 && app.writes.length > 0 && !seen.may_send && (
        <p className="above-4">
          This connection can only read {app.items_word}.{" "}
          <button className="link" onClick={widen}>
            {byKey ? "Replace key" : "Change access"}
          </button>{" "}
          to let workflows add and change them.
        </p>
      )}
      <h2 className="above-4">Used by</h2>
      <p>{connection.used_by.join(", ") || "No workflow uses it yet."}</p>
      {!sight.isLoading && <ConnectionCosts connection={id} app={app.name} />}
    </main>
  );
}
