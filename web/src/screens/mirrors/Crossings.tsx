import { useMutation, useQueryClient } from "@tanstack/react-query";
import { answer, client } from "../../api/client";
import { useNotices } from "../../frame/Notices";
import { reads } from "../../fields";
import { dateTime, span } from "../../parts/dates";
import { useHistory, type Crossing, type Mirror } from "./queries";

const DID: Record<string, string> = {
  create: "Created",
  update: "Updated",
  delete: "Deleted",
  restore: "Restored",
  comment: "Comment added",
  lost: "Not taken over",
  refused: "Refused",
  war: "Held, as two programs change it in turn",
};
const WRITES = new Set(["create", "update", "delete", "restore", "comment"]);
/** What is said after something was undone that was written by a kind of crossing. */
const UNDONE: Record<string, string> = {
  create: "The item was deleted again.",
  update: "What was there before is back. It is held until you release it.",
  delete: "The item is back.",
  comment: "The comment was deleted again.",
};

/** What crossed, the newest first, with before and after; each write can be undone. */
export function Crossings({ mirror, pair, zone }: { mirror: Mirror; pair: string | null; zone: string }) {
  const history = useHistory(mirror.id, pair);
  const found = history.data?.pages.flatMap((page) => page.crossings) ?? [];
  if (history.data && found.length === 0) return <p className="quiet">Nothing has crossed yet. Edits of both sides appear here.</p>;
  return (
    <>
      <ul className="crossings" aria-label="What crossed">
        {found.map((one) => (
          <One key={one.n} one={one} mirror={mirror} zone={zone} />
        ))}
      </ul>
      {history.hasNextPage && (
        <button className="link" disabled={history.isFetchingNextPage} onClick={() => void history.fetchNextPage()}>
          Show older
        </button>
      )}
    </>
  );
}

function One({ one, mirror, zone }: { one: Crossing; mirror: Mirror; zone: string }) {
  const queries = useQueryClient();
  const { fail, tell } = useNotices();
  const undo = useMutation({
    mutationFn: () =>
      answer(client.POST("/api/v1/mirrors/{mirror_id}/history/{n}/undo", { params: { path: { mirror_id: mirror.id, n: one.n } } })),
    onSuccess: ({ undone, kept }) => {
      tell(undone ? (UNDONE[one.kind] ?? "Undone.") : (kept[0] ?? "Nothing was undone."));
      void queries.invalidateQueries({ queryKey: ["mirror", mirror.id] });
      void queries.invalidateQueries({ queryKey: ["mirror-rows", mirror.id] });
    },
    onError: fail,
  });
  return (
    <li>
      <span className="quiet t">{dateTime(one.at, zone)}</span>
      <span className="what">
        <b>{DID[one.kind] ?? one.kind}</b> {WRITES.has(one.kind) ? `in ${mirror[one.side].name}` : fieldName(mirror, one.field)}
        {one.title && `: ${one.title}`}
        {one.kind === "update" && <Changed of={one} mirror={mirror} zone={zone} />}
        {one.kind === "comment" && <span className="changed">“{String(one.after.comment)}”</span>}
        {!WRITES.has(one.kind) && <span className="quiet"> {String(one.after[""] ?? "")}</span>}
      </span>
      <span className="num quiet">{one.delay !== null && span(one.delay / 1000)}</span>
      {one.undone_by ? (
        <span className="quiet">undone</span>
      ) : (
        WRITES.has(one.kind) && (
          <button
            className="link"
            disabled={undo.isPending}
            onClick={() => undo.mutate()}
            aria-label={`Undo: ${DID[one.kind] ?? ""} ${one.title}`}
          >
            Undo
          </button>
        )
      )}
    </li>
  );
}

function fieldName(mirror: Mirror, id: string | null): string {
  return id === "comment" ? "comment" : (mirror.matched.find((m) => m.id === id)?.left?.name ?? "");
}

/** The fields that a write changed: what was there, and what is now. */
export function Changed({ of, mirror, zone }: { of: Pick<Crossing, "side" | "before" | "after">; mirror: Mirror; zone: string }) {
  return Object.keys(of.after).map((id) => {
    const field = mirror.matched.map((m) => m[of.side]).find((f) => f?.id === id);
    if (!field) return null;
    const before = reads(field, of.before[id], zone);
    const after = reads(field, of.after[id], zone);
    return (
      <span key={id} className="changed">
        {field.name}: <del>{before || "empty"}</del> → {after || "empty"}
      </span>
    );
  });
}
