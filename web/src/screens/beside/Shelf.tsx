import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { answer, client, said } from "../../api/client";
import { TEXT_FIELD, useApps, useConnections, useDatabases, useMe, useSight, useTypeOf } from "../../api/queries";
import { reads } from "../../fields";
import { dateTime } from "../../parts/dates";
import { read, write, type Place } from "./place";

const EVERY = 2_000; // milliseconds between looks into an app; our own databases say by themselves what is new
const NEWEST = 15; // records that are shown of a database

interface Props {
  label: string;
  place: Place | null;
  onPlace: (place: Place | null) => void;
}

/** One side: which container it is, and what is newest in it, live. */
export function Shelf({ label, place, onPlace }: Props) {
  const databases = useDatabases().data ?? [];
  const connections = useConnections().data ?? [];
  const shared = useSight(place?.kind === "app" ? place.connection : undefined).data?.shared;
  const current = place?.kind === "app" ? shared?.find((s) => s.id === place.container)?.full_name : undefined;
  return (
    <section aria-label={label} className="shelf">
      <select aria-label={`Choose content for ${label}`} value={write(place)} onChange={(event) => onPlace(read(event.target.value))}>
        <option value="">Choose content</option>
        {place?.kind === "app" && <option value={write(place)}>{current ?? "…"}</option>}
        <optgroup label="Databases">
          {databases.map((d) => (
            <option key={d.id} value={write({ kind: "database", id: d.id })}>
              {d.name}
            </option>
          ))}
        </optgroup>
        {connections.map((c) => (
          <Shared key={c.id} connection={c.id} name={c.name} />
        ))}
      </select>
      {place?.kind === "database" && <Records database={place.id} />}
      {place?.kind === "app" && <Items connection={place.connection} container={place.container} />}
    </section>
  );
}

function Shared({ connection, name }: { connection: number; name: string }) {
  const shared = useSight(connection).data?.shared ?? [];
  return (
    <optgroup label={name}>
      {shared.map((s) => (
        <option key={s.id} value={write({ kind: "app", connection, container: s.id })}>
          {s.full_name}
        </option>
      ))}
    </optgroup>
  );
}

/** Those that came last, since the first look: they stay marked until others come. */
function useFresh(ids: string[] | undefined): ReadonlySet<string> {
  const [seen, setSeen] = useState<{ known: ReadonlySet<string> | null; latest: ReadonlySet<string> }>({ known: null, latest: new Set() });
  const came = ids?.filter((id) => !seen.known?.has(id)) ?? [];
  if (ids && (seen.known === null || came.length > 0)) {
    setSeen({ known: new Set([...(seen.known ?? []), ...ids]), latest: new Set(seen.known === null ? [] : came) });
  }
  return seen.latest;
}

interface Shown {
  id: string;
  title: string;
  at: string;
  notes: string[];
  link: string;
  outside: boolean;
}

function List({ shown, none }: { shown: Shown[] | undefined; none: string }) {
  const zone = useMe().data?.timezone ?? "UTC";
  const fresh = useFresh(shown?.map((s) => s.id));
  if (!shown) return <p className="quiet">Loading …</p>;
  if (shown.length === 0) return <p className="quiet">{none}</p>;
  return (
    <ul>
      {shown.map((s) => (
        <li key={s.id} className={fresh.has(s.id) ? "fresh" : undefined}>
          <small className="quiet">{dateTime(s.at, zone)}</small>
          {s.outside ? (
            <a href={s.link} target="_blank" rel="noreferrer">
              {s.title}
            </a>
          ) : (
            <Link to={s.link}>{s.title}</Link>
          )}
          <span className="quiet clip">{s.notes.join(" · ")}</span>
        </li>
      ))}
    </ul>
  );
}

function Records({ database }: { database: number }) {
  const zone = useMe().data?.timezone ?? "UTC";
  const typeOf = useTypeOf();
  const of = useDatabases().data?.find((d) => d.id === database);
  const newest = useQuery({
    queryKey: ["records", database, "newest"],
    queryFn: () =>
      answer(
        client.GET("/api/v1/databases/{database_id}/records", { params: { path: { database_id: database }, query: { limit: NEWEST } } }),
      ),
  });
  if (newest.error) return <p className="bad">{said(newest.error)}</p>;
  const [title, ...others] = of?.fields ?? [];
  const shown = newest.data?.records.slice(0, NEWEST).map((r) => ({
    id: String(r.id),
    title: title ? reads(title, r.values[title.id], zone) || "Untitled" : "",
    at: r.created_at,
    notes: others
      .filter((f) => f.id !== TEXT_FIELD && !typeOf(f.type)?.is_address)
      .map((f) => reads(f, r.values[f.id], zone))
      .filter(Boolean)
      .slice(0, 2),
    link: `/databases/${database}/${r.id}`,
    outside: false,
  }));
  return <List shown={shown} none="No records yet." />;
}

function Items({ connection, container }: { connection: number; container: string }) {
  const kept = useConnections().data?.find((c) => c.id === connection);
  const app = useApps().data?.find((a) => a.code === kept?.app);
  const newest = useQuery({
    queryKey: ["connections", "items", connection, container],
    queryFn: () =>
      answer(
        client.GET("/api/v1/connections/{connection_id}/containers/{container}/items", {
          params: { path: { connection_id: connection, container } },
        }),
      ),
    refetchInterval: EVERY,
    retry: false,
  });
  return (
    <>
      {newest.error && <p className="bad">{said(newest.error)}</p>}
      {(!newest.error || newest.data) && (
        <List shown={newest.data?.map((i) => ({ ...i, outside: true }))} none={`No ${app?.items_word ?? "items"} yet.`} />
      )}
    </>
  );
}
