import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client, type Schemas } from "../../api/client";
import { useNotices } from "../../frame/Notices";
import type { SetUp } from "./queries";

export type Draft = Omit<Schemas["SetUpIn"], "filters"> & { filters: Record<"left" | "right", Schemas["FilterBody"]> };

const EMPTY: Schemas["FilterBody"] = { mode: "all", tests: [] };

/** What is edited of a set-up: all of it but what the server tells. */
export function draftOf(setUp: SetUp): Draft {
  const { name, match, creates, first, deletes, leaving, share, quiet, comments } = setUp;
  const fields = setUp.fields.map(({ id, left, right, translation, options, direction, policy, empty, drift }) => ({
    id,
    left,
    right,
    translation,
    options,
    direction,
    policy,
    empty,
    drift,
  }));
  const filters = { left: setUp.filters?.left ?? EMPTY, right: setUp.filters?.right ?? EMPTY };
  const archives = setUp.archives ?? {};
  return { name, archives, match, creates, first, deletes, leaving, share, quiet, comments, fields, filters };
}

/** Edit how a mirror is set up; each edit is saved at once, and what is wrong is said by the server. */
export function useSaving(id: number, setUp: SetUp) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const [draft, setDraft] = useState<Draft>(() => draftOf(setUp));
  const save = useMutation({
    mutationFn: (body: Draft) =>
      answer(
        client.PUT("/api/v1/mirrors/{mirror_id}/set-up", {
          params: {
            path: { mirror_id: id },
            header: { "if-match": `"${queries.getQueryData<SetUp>(["mirror-set-up", id])?.version ?? setUp.version}"` },
          },
          body,
        }),
      ),
    scope: { id: `mirror ${id}` }, // one after the other, each with the version that the one before made
    onSuccess: (made) => {
      queries.setQueryData(["mirror-set-up", id], made);
      void queries.invalidateQueries({ queryKey: ["mirror", id] });
    },
    onError: fail,
  });
  const change = (part: Partial<Draft>) => {
    const next = { ...draft, ...part };
    setDraft(next);
    save.mutate(next);
  };
  return { draft, change, isSaving: save.isPending };
}
