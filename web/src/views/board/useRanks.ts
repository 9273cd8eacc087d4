import { useMemo } from "react";
import { usePlacesOf, type View } from "../queries";

/** Where records stand among all that a view shows, whatever their group: read once something is dragged, to say where it will go. */
export function useRanks(database: number, view: View, isAsked: boolean): (record: number) => number | undefined {
  const { data } = usePlacesOf(database, { ...view, group: null }, null, isAsked);
  const ranks = useMemo(() => {
    const ids = isAsked ? (data?.pages.flatMap((p) => p.groups.flatMap((g) => g.records)) ?? []) : [];
    return new Map(ids.map((id, n) => [id, n]));
  }, [data, isAsked]);
  return (record) => ranks.get(record);
}
