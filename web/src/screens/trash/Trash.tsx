import { Button, MenuItem, Select } from "@mui/material";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { useMe } from "../../api/queries";
import { dateTime, day, relative } from "../../parts/dates";
import { useRestoring, useTrash, type Kind } from "./useTrash";

const KINDS: [Kind | "", string][] = [
  ["", "All types"],
  ["record", "Records"],
  ["field", "Fields"],
  ["database", "Databases"],
  ["workflow", "Workflows"],
];

/** What was deleted within thirty days, with who and when, and a way back. */
export function Trash() {
  const [params, setParams] = useSearchParams();
  const kind = KINDS.find(([k]) => k && k === params.get("kind"))?.[0] || undefined;
  const trash = useTrash(kind);
  const zone = useMe().data?.timezone ?? "UTC";
  const [picked, setPicked] = useState<ReadonlySet<number>>(new Set());
  const restore = useRestoring(() => setPicked(new Set()));
  const entries = trash.data?.pages.flatMap((p) => p.entries) ?? [];
  const pick = (id: number) => {
    const next = new Set(picked);
    if (!next.delete(id)) next.add(id);
    setPicked(next);
  };
  return (
    <main>
      <div className="row head">
        <h1 className="grow">
          Trash<span>: kept for 30 days</span>
        </h1>
        <Select
          value={kind ?? ""}
          displayEmpty
          SelectDisplayProps={{ "aria-label": "Type to show" }}
          onChange={(e) => setParams(e.target.value ? { kind: e.target.value } : {})}
        >
          {KINDS.map(([code, words]) => (
            <MenuItem key={code} value={code}>
              {words}
            </MenuItem>
          ))}
        </Select>
        <Button variant="contained" disabled={picked.size === 0 || restore.isPending} onClick={() => restore.mutate([...picked])}>
          {picked.size === 0 ? "Restore selected" : `Restore ${picked.size} ${picked.size === 1 ? "item" : "items"}`}
        </Button>
      </div>
      {trash.data && entries.length === 0 ? (
        <div className="empty">
          <h2>The trash is empty</h2>
          <p>Deleted records, fields, databases and workflows appear here for 30 days. Restore one to use it again.</p>
        </div>
      ) : (
        <div className="scroll fill">
          <table className="list">
            <colgroup>
              <col className="w-48" />
              <col className="w-112" />
              <col />
              <col className="w-200" />
              <col className="w-200" />
              <col className="w-130" />
              <col className="w-84" />
            </colgroup>
            <thead>
              <tr>
                <th />
                <th>Type</th>
                <th>Name</th>
                <th>Deleted by</th>
                <th>Deleted</th>
                <th>Kept until</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {entries.map((e) => (
                <tr key={e.id}>
                  <td>
                    <input type="checkbox" aria-label={`Select ${e.name ?? "it"}`} checked={picked.has(e.id)} onChange={() => pick(e.id)} />
                  </td>
                  <td className="quiet">{`${e.kind[0]?.toUpperCase()}${e.kind.slice(1)}`}</td>
                  <td>
                    {e.name ?? "Untitled"}
                    {e.database && <span className="det">in {e.database}</span>}
                  </td>
                  <td>{e.deleted_by}</td>
                  <td title={dateTime(e.at, zone)}>{relative(e.at)}</td>
                  <td>{day(e.until, zone)}</td>
                  <td>
                    <button
                      className="link"
                      disabled={restore.isPending}
                      onClick={() => restore.mutate([e.id])}
                      aria-label={`Restore ${e.name ?? "it"}`}
                    >
                      Restore
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          {trash.hasNextPage && (
            <button className="link" disabled={trash.isFetching} onClick={() => void trash.fetchNextPage()}>
              Show more
            </button>
          )}
        </div>
      )}
    </main>
  );
}
