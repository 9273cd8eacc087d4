import { useCallback, useMemo } from "react";
import { useLocation, useNavigate, useSearchParams } from "react-router";
import { useViews, type KeptView, type View } from "./queries";

const ALL: View = {
  kind: "table",
  filter: { mode: "all", tests: [] },
  order: [],
  columns: [],
  frozen: 1,
  totals: [],
  marks: [],
  group: null,
  by: null,
};
export const ALL_RECORDS = "All records";

function parsed(text: string | null): View | null {
  try {
    return text ? (JSON.parse(text) as View) : null;
  } catch {
    return null;
  }
}

/** The view that one looks at, from the address: a kept one, or all records; and what was changed in it and not saved. */
export function useView(database: number) {
  const [search] = useSearchParams();
  const { pathname } = useLocation();
  const navigate = useNavigate();
  const answered = useViews(database);
  const views = answered.data?.views;
  const asked = search.get("view");
  const kept: KeptView | null = views?.find((v) => (asked === null ? v === views[0] : v.id === Number(asked))) ?? null;
  const text = search.get("edited");
  const draft = useMemo(() => parsed(text), [text]);
  const view = draft ?? kept?.view ?? ALL;
  const to = useCallback(
    (next: { view?: number; edited?: View | null }, replace = false) => {
      const params = new URLSearchParams(search);
      if (next.view !== undefined) params.set("view", String(next.view));
      if (next.edited) params.set("edited", JSON.stringify(next.edited));
      else params.delete("edited");
      void navigate({ pathname, search: params.toString() }, { replace });
    },
    [search, pathname, navigate],
  );
  return {
    views: views ?? [],
    choices: answered.data,
    kept,
    view,
    name: kept?.name ?? ALL_RECORDS,
    isEdited: draft !== null,
    /** Edit the view: it is saved only when that is asked for. */
    edit: (change: Partial<View>) => to({ edited: { ...view, ...change } }, draft !== null),
    /** Look at another view; 0: all records. */
    choose: (id: number) => to({ view: id }),
    /** Leave what was edited. */
    discard: () => to({}),
    search: search.toString() ? `?${search.toString()}` : "",
  };
}

export type Viewing = ReturnType<typeof useView>;
