import { useMutation } from "@tanstack/react-query";
import { answer, client, type Schemas } from "../../api/client";
import { useNotices } from "../../frame/Notices";

/** Ask an app for access, in its own consent window; it comes back to the connection. `send`: to send, too. */
export function useConsent() {
  const { fail } = useNotices();
  const ask = useMutation({
    mutationFn: (wanted: Schemas["ConsentIn"]) => answer(client.POST("/api/v1/connections/consent", { body: wanted })),
    onSuccess: ({ address }) => window.location.assign(address),
    onError: fail,
  });
  return {
    ask: (app: string, connection?: number, send = false) => ask.mutate({ app, connection: connection ?? null, send }),
    asking: ask.isPending,
  };
}
