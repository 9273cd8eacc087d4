import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client } from "../../api/client";
import { useApp, useTargets, useMe, type Run, type Wire } from "../../api/queries";
import { reads, readsCarried } from "../../fields";
import { dateTime } from "../../parts/dates";
import { whenOf, type Document } from "../timetable/model";
import { RecordLink, type WroteRecord } from "./RecordLink";
import { WROTE } from "./undone";
import { WebRecord, type WebSent } from "./WebRecord";

interface Filled {
  filled: string;
  state: string;
  said: string;
  name?: string | null;
}

interface Added extends WroteRecord {
  title: string;
  count: number;
  values: Record<string, Wire>;
}

interface Found extends WroteRecord {
  count: number;
  title: string;
}

const OWN_NAMES: Record<string, string> = {
  link: "Link",
  at: "At",
  day: "Day",
  before: "Previous time",
  missed: "Missed times",
  received: "Received",
};
const MOMENT = /^\d{4}-\d\d-\d\dT[\d:.]+Z$/;
const DID: Record<string, string> = {
  added: "Added",
  updated: "Updated",
  unchanged: "No changes to",
  there: "Already exists:",
  deleted: "Moved to the trash:",
};

/** What one line was given and what came out of it; of what was repeated, in one round at a time. */
export function LineRecord({ run, line, document }: { run: Run; line: string | null; document: Document }) {
  const [place, setPlace] = useState<string | null>(null);
  const places = run.lines.filter((l) => l.line === line).map((l) => l.place);
  return (
    <>
      {places.length > 1 && (
        <p className="below-1">
          Round{" "}
          {places.map((p) => (
            <button
              key={p}
              className={`link round right-2 ${p === place ? "here" : ""}`}
              aria-pressed={p === place}
              onClick={() => setPlace(p)}
            >
              {p}
            </button>
          ))}
        </p>
      )}
      <OneRecord run={run} line={line} document={document} place={place} />
    </>
  );
}

function OneRecord({ run, line, document, place }: { run: Run; line: string | null; document: Document; place: string | null }) {
  const detail = useQuery({
    queryKey: ["run", run.id],
    queryFn: () => answer(client.GET("/api/v1/runs/{run_id}", { params: { path: { run_id: run.id } } })),
  }).data;
  const records = detail?.run.lines.filter((l) => l.line === line) ?? [];
  const recorded = records.find((l) => l.place === place) ?? records.find((l) => l.outcome === "failed") ?? records[0];
  const kind = document.lines.find((l) => l.id === line)?.verb ?? "add";
  const databases = useTargets();
  const app = useApp(whenOf(document).app);
  const zone = useMe().data?.timezone ?? "UTC";
  const fields = databases.flatMap((d) => d.fields);
  const gave = (id: string, value: Wire | undefined) => {
    const field = fields.find((f) => f.id === id);
    return field ? reads(field, value, zone) : String(value ?? "");
  };
  if (!detail) return null;
  if (!recorded) return <p className="quiet">This line didn’t run.</p>;
  if (line === whenOf(document).id) {
    const values = (detail.item?.values ?? {}) as Record<string, Wire>;
    const own = whenOf(document).own;
    const named = own
      ? Object.keys(values)
          .filter((k) => k !== "record")
          .map((k) => ({
            key: k,
            type: "",
            name: [
              OWN_NAMES[k] ??
                detail.field_names[k.replace(/^f_/, "")] ??
                (k.startsWith("was_") ? `before: ${detail.field_names[k.slice(4)] ?? k}` : k),
            ],
          }))
      : (app?.fields ?? []).filter((f) => f.key in values);
    return (
      <dl className="pairs">
        {named.map((f) => {
          const value = values[f.key] ?? null;
          return (
            <Pair
              key={f.key}
              name={f.name.join(" › ")}
              value={value === null ? null : MOMENT.test(String(value)) ? dateTime(String(value), zone) : readsCarried(f.type, value, zone)}
            />
          );
        })}
        {values.problems && <Pair name="What could not be read" value={values.problems} />}
      </dl>
    );
  }
  if (WROTE.has(recorded.outcome) || recorded.outcome === "unchanged" || recorded.outcome === "there" || recorded.outcome === "failed") {
    const input = (recorded.input ?? {}) as Record<string, Filled>;
    const output = recorded.output as (Added & { problems?: string[] }) | null;
    return (
      <>
        {output?.record && (
          <p className="below-1">
            {DID[recorded.outcome] ?? "Looked at"} <RecordLink of={output}>{output.title || "a record"}</RecordLink> in{" "}
            {output.database_name}
            {output.count > 1 ? `, and ${output.count - 1} more.` : "."}
          </p>
        )}
        {output?.problems?.map((p) => (
          <div className="note bad" key={p}>
            {p}
          </div>
        ))}
        <table>
          <thead>
            <tr>
              <th className="w-130">Field</th>
              <th>Filled with</th>
              <th>Result</th>
            </tr>
          </thead>
          <tbody>
            {Object.entries(input)
              .sort(([a], [b]) => Number(a === "0") - Number(b === "0"))
              .map(([field, filled]) => (
                <tr key={field}>
                  <td>
                    <b>{filled.name ?? detail.field_names[field] ?? "a deleted field"}</b>
                  </td>
                  <td>{filled.filled}</td>
                  <td className="wrap">
                    {filled.state !== "put_right" && gave(field, output?.values?.[field])}{" "}
                    {filled.said && <span className={filled.state === "put_right" ? "bad" : "quiet"}>{filled.said}</span>}
                  </td>
                </tr>
              ))}
          </tbody>
        </table>
      </>
    );
  }
  if (kind === "web_request" && recorded.output) return <WebRecord sent={recorded.output as WebSent} />;
  const asking = document.lines.find((l) => l.id === line);
  const answered = asking?.verb === "ask" ? (recorded.output as { values?: Record<string, Wire> } | null)?.values : undefined;
  const shown = asking?.verb === "ask" ? Object.fromEntries(asking.shown.map((v) => [v.name, answered?.[v.key] ?? null])) : undefined;
  const found = isFound(recorded.output) ? recorded.output : null;
  return (
    <>
      {found && (
        <p className="below-1">
          {found.record ? (
            <>
              {found.count === 1 ? "Found" : `${found.count} found, used:`} <RecordLink of={found}>{found.title || "a record"}</RecordLink>{" "}
              in {found.database_name}.
            </>
          ) : (
            `None found in ${found.database_name}.`
          )}
        </p>
      )}
      {recorded.outcome === "did" && <Operated output={recorded.output as Done} />}
      <dl className="pairs">
        {Object.entries((shown ?? (kind === "shape" ? recorded.output : recorded.input) ?? {}) as Record<string, Wire>).map(
          ([name, value]) => (
            <Pair key={name} name={name} value={value} />
          ),
        )}
      </dl>
    </>
  );
}

interface Done {
  words: string;
  title: string;
  link: string | null;
  place: string;
  app_name: string;
}

/** What an app did to an item. */
function Operated({ output: { words, title, link, place, app_name: app } }: { output: Done }) {
  return (
    <p className="below-1">
      {app}: {words}, <RecordLink of={{ database: 0, database_name: place, record: null, link }}>{title}</RecordLink> in {place}.
    </p>
  );
}

/** Whether a line found records: that is what it kept. */
const isFound = (output: unknown): output is Found =>
  !!output && typeof output === "object" && "database_name" in output && "count" in output;

function Pair({ name, value }: { name: string; value: Wire }) {
  return (
    <>
      <dt>{name}</dt>
      <dd>
        {value === null ? (
          <i className="quiet">empty</i>
        ) : Array.isArray(value) ? (
          value.join(", ")
        ) : typeof value === "boolean" ? (
          value ? (
            "yes"
          ) : (
            "no"
          )
        ) : (
          value
        )}
      </dd>
    </>
  );
}
