import { FilterEditor } from "../../parts/FilterEditor";
import { Button, TextField } from "@mui/material";
import { useMutation } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { answer, client, said } from "../../api/client";
import { useNotices } from "../../frame/Notices";
import { FieldMatching } from "./FieldMatching";
import { MatchRuleEditor } from "./MatchRuleEditor";
import { SIDES, useSetUp, type Mirror, type SetUp as Found } from "./queries";
import { Rules } from "./Rules";
import { useSaving } from "./useSetUp";

/** How a mirror is set up: its matched fields, by what items are recognised, its filters and its rules. */
export function SetUp({ mirror }: { mirror: Mirror }) {
  const setUp = useSetUp(mirror.id);
  if (setUp.error) return <div className="note bad above-2">{said(setUp.error)}</div>;
  if (!setUp.data) return null;
  return <Editing mirror={mirror} setUp={setUp.data} />;
}

function Editing({ mirror, setUp }: { mirror: Mirror; setUp: Found }) {
  const { draft, change } = useSaving(mirror.id, setUp);
  const navigate = useNavigate();
  const { fail } = useNotices();
  const remove = useMutation({
    mutationFn: () => answer(client.DELETE("/api/v1/mirrors/{mirror_id}", { params: { path: { mirror_id: mirror.id } } })),
    onSuccess: () => void navigate("/mirrors"),
    onError: fail,
  });
  return (
    <div className="scroll fill rules">
      {setUp.problems.map((problem) => (
        <div key={problem} className="note bad">
          {problem}
        </div>
      ))}
      <FieldMatching setUp={setUp} fields={draft.fields} onChange={(fields) => change({ fields })} />
      <div className="two">
        <section aria-label="Recognising pairs">
          <h2>How pairs are recognised</h2>
          <MatchRuleEditor mirror={mirror} setUp={setUp} rule={draft.match} onChange={(match) => change({ match })} />
        </section>
        <section aria-label="Filters">
          <h2>Which items are mirrored</h2>
          {SIDES.map((side) => (
            <FilterEditor
              key={side}
              name={setUp[side].name}
              all="all items"
              fields={setUp[side].fields}
              comparing={setUp[side].comparing}
              filter={draft.filters[side]}
              onChange={(filter) => change({ filters: { ...draft.filters, [side]: filter } })}
            />
          ))}
        </section>
      </div>
      <Rules setUp={setUp} draft={draft} onChange={change} />
      {setUp.windows.length > 0 && (
        <section aria-label="What the apps can’t do">
          <h2>What these apps can’t do</h2>
          {setUp.windows.map((window) => (
            <p key={window} className="quiet">
              {window}
            </p>
          ))}
        </section>
      )}
      <section aria-label="Accounts and access">
        <h2>Accounts and access</h2>
        {setUp.access.map((said) => (
          <p key={said} className="quiet">
            {said}
          </p>
        ))}
      </section>
      <div className="row above-3">
        <TextField label="Name" size="small" defaultValue={draft.name} onBlur={(event) => change({ name: event.target.value })} />
        <span className="grow" />
        <Button color="error" disabled={remove.isPending} onClick={() => remove.mutate()}>
          Delete mirror
        </Button>
        <span className="quiet">The items of both sides stay as they are.</span>
      </div>
    </div>
  );
}
