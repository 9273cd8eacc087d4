import { useMutation } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { answer, client, type Schemas } from "../../api/client";
import { useApps } from "../../api/queries";
import { useNotices } from "../../frame/Notices";

/**
 * Ask an app for access, in its own consent window; it comes back to the connection. Where an app is connected by a key, that is
 * pasted on Connections. `send`: to send, too.
 */
export function useConsent() {
  const { fail } = useNotices();
  const apps = useApps().data;
  const navigate = useNavigate();
  const ask = useMutation({
    mutationFn: (wanted: Schemas["ConsentIn"]) => answer(client.POST("/api/v1/connections/consent", { body: wanted })),
    onSuccess: ({ address }) => window.location.assign(address),
    onError: fail,
  });
  return {
    ask: (app: string, connection?: number, send = false) => {
      if (apps?.find((a) => a.code === app)?.connects !== "key") return ask.mutate({ app, connection: connection ?? null, send });
      void navigate(`/connections?key=${app}${connection ? `&connection=${connection}` : ""}`);
    },
    asking: ask.isPending,
  };
}
