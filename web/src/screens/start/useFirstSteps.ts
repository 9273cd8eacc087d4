import { useMutation } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { answer, client } from "../../api/client";
import { useApps, useConnections, useMe, useRuns, useWorkflows } from "../../api/queries";
import { useNotices } from "../../frame/Notices";

export const STEPS = ["Connect an app", "Create a workflow", "Turn on the workflow", "See the first item arrive"] as const;

/** How far a new workspace is on the way to its first item. None until that is known, and for who may only look. */
export function useFirstSteps() {
  const me = useMe().data;
  const apps = useApps().data ?? [];
  const connections = useConnections().data;
  const workflows = useWorkflows().data;
  const runs = useRuns({ limit: 10 }).data?.pages[0]?.runs;
  const go = useNavigate();
  const { fail } = useNotices();
  /** A workflow for the first place that is shared, with what happens there; what it keeps is chosen on its page. */
  const create = useMutation({
    mutationFn: async () => {
      const connection = connections?.[0];
      const app = apps.find((a) => a.code === connection?.app);
      if (!connection || !app) throw new Error("Connect an app first.");
      const seen = await answer(
        client.GET("/api/v1/connections/{connection_id}/sight", { params: { path: { connection_id: connection.id } } }),
      );
      const place = [...seen.shared].sort((a, b) => b.items - a.items)[0];
      return answer(
        client.POST("/api/v1/workflows", {
          body: {
            name: place ? `${place.name}: new ${app.items_word}` : `New ${app.items_word}`,
            connection: connection.id,
            container: place?.id ?? null,
            container_name: place?.name ?? "",
          },
        }),
      );
    },
    onSuccess: (made) => void go(`/workflows/${made.id}`),
    onError: fail,
  });
  if (!me || me.role === "viewer" || !connections || !workflows || !runs) return null;
  const arrived = runs.some((r) => r.kind !== "try");
  const done = [connections.length > 0, workflows.length > 0, workflows.some((w) => w.turned_on_at), arrived];
  const at = done.indexOf(false); // -1: all of it is done
  const workflow = workflows.find((w) => w.turned_on_at) ?? workflows[0];
  return { apps, done, at, workflow, connection: connections[0], create };
}
