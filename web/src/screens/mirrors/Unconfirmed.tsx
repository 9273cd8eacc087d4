import { Button } from "@mui/material";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client } from "../../api/client";
import { useMe } from "../../api/queries";
import { useNotices } from "../../frame/Notices";
import { dateTime } from "../../parts/dates";
import { useFound, type Mirror } from "./queries";

/** Items that may have been created: their app did not answer, and can’t be asked. A person says which item it is, or none. */
export function Unconfirmed({ mirror }: { mirror: Mirror }) {
  const zone = useMe().data?.timezone ?? "UTC";
  const open = useQuery({
    queryKey: ["mirror", mirror.id, "unconfirmed"],
    queryFn: () => answer(client.GET("/api/v1/mirrors/{mirror_id}/unconfirmed", { params: { path: { mirror_id: mirror.id } } })),
  }).data;
  return open?.map((one) => (
    <div key={one.key} className="note bad" role="group" aria-label={`Unconfirmed: ${one.title}`}>
      “{one.title}” was sent to {mirror[one.side].name} on {dateTime(one.began, zone)}, and the app did not answer. Is it there?
      <Answer mirror={mirror} item={one} />
    </div>
  ));
}

function Answer({ mirror, item }: { mirror: Mirror; item: { key: string; side: "left" | "right"; title: string } }) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const [text, setText] = useState(item.title);
  const found = useFound(mirror.id, text).data ?? [];
  const other = item.side === "left" ? "right" : "left";
  const offered = found.flatMap((row) => (row[item.side] && !row[other] ? [row[item.side]] : [])).filter((one) => one !== null);
  const say = useMutation({
    mutationFn: (made: string | null) =>
      answer(
        client.POST("/api/v1/mirrors/{mirror_id}/unconfirmed/{key}", {
          params: { path: { mirror_id: mirror.id, key: item.key } },
          body: { made },
        }),
      ),
    onSuccess: () => void queries.invalidateQueries({ queryKey: ["mirror", mirror.id] }),
    onError: fail,
  });
  return (
    <div className="row wrapped above-2">
      {offered.slice(0, 4).map((one) => (
        <Button key={one.id} disabled={say.isPending} onClick={() => say.mutate(one.id)}>
          It is “{one.title}”
        </Button>
      ))}
      <input
        className="find max-200"
        aria-label={`Find in ${mirror[item.side].name}`}
        value={text}
        onChange={(event) => setText(event.target.value)}
      />
      <Button disabled={say.isPending} onClick={() => say.mutate(null)}>
        It was not created
      </Button>
    </div>
  );
}
