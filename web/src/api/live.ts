import { useQueryClient, type QueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { changeOf, takeUp } from "./changes";

const OF_RECORDS = ["records", "record", "view-rows", "view-places", "view-figures"];

/** Which queries a topic makes stale. */
function keysOf(topic: string): (string | number)[][] {
  const [kind, id] = topic.split(":");
  const number = Number(id);
  switch (kind) {
    case "records": // more changed at once than are named one by one
      return [...OF_RECORDS.map((key) => [key, number]), ["databases"], ["trash"]];
    case "places":
      return [["places"], ["rehearsal"]];
    case "databases":
      return [["databases"], ["views"], ...OF_RECORDS.map((key) => [key]), ["rehearsal"]];
    case "runs":
      return [["runs"], ["run"], ["workflows"], ["today"], ["attention"]];
    case "workflow":
      return [["workflow", number], ["workflows"], ["attention"]];
    case "mirror":
      return [["mirror", number]];
    case "connections":
      return [["connections"], ["attention"]];
    case "backcast":
      return [["backcast", number]];
    case "all":
      return [[]];
    default:
      return [[kind ?? ""]];
  }
}

function makeStale(queries: QueryClient, topics: string[]): void {
  const changes = topics.map(changeOf);
  for (const key of topics.filter((_, n) => !changes[n]).flatMap(keysOf)) void queries.invalidateQueries({ queryKey: key });
  takeUp(
    queries,
    changes.filter((c) => c !== null),
  );
}

/**
 * Live updates. One stream per browser: the tab that holds the lock keeps it and hands on what it hears, since a browser
 * opens six connections to a server at most.
 */
export function useLive(): void {
  const queries = useQueryClient();
  useEffect(() => {
    const channel = new BroadcastChannel("kelvix-live");
    const done = new AbortController();
    channel.onmessage = (event: MessageEvent<string[]>) => makeStale(queries, event.data);
    let source: EventSource | undefined;
    const hold = () =>
      new Promise<void>((resolve) => {
        source = new EventSource("/api/v1/live");
        let opened = false;
        source.onopen = () => {
          if (opened) makeStale(queries, ["all"]); // what was missed while the stream was down
          opened = true;
        };
        source.onmessage = (event: MessageEvent<string>) => {
          const topics = JSON.parse(event.data) as string[];
          makeStale(queries, topics);
          channel.postMessage(topics);
        };
        done.signal.addEventListener("abort", () => resolve());
      });
    if (navigator.locks) navigator.locks.request("kelvix-live", { signal: done.signal }, hold).catch(() => undefined);
    else void hold(); // a page that is not secure has no locks: each tab keeps a stream then
    return () => {
      done.abort();
      source?.close();
      channel.close();
    };
  }, [queries]);
}
