import { Button } from "@mui/material";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client } from "../../api/client";
import { copyText } from "../../parts/copy";
import { useNotices } from "../../frame/Notices";
import { useFieldTypes, type WorkflowDetail } from "../../api/queries";
import type { Address, Rehearsal } from "../../screens/timetable/model";
import { InputLists } from "./InputLists";
import { InputsTable } from "./InputsTable";
import { TestRequest } from "./TestRequest";

interface Props {
  own: Address;
  workflow: WorkflowDetail;
  findings: Rehearsal["findings"];
  onChange: (own: Address) => void;
}

type Input = Address["inputs"][number];

/** The address that requests come to, and what they bring: declared, or learned from one that came. */
export function AddressWhen({ own, workflow, findings, onChange }: Props) {
  const queries = useQueryClient();
  const types = useFieldTypes().data?.filter((t) => t.in_requests) ?? [];
  const { tell, fail } = useNotices();
  const path = { params: { path: { workflow_id: workflow.id } } };
  const key = ["address", workflow.id, own];
  const address = useQuery({
    queryKey: key,
    queryFn: () => answer(client.GET("/api/v1/workflows/{workflow_id}/address", path)),
    placeholderData: (before) => before,
  });
  const make = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/workflows/{workflow_id}/address", path)),
    onSuccess: (made) => {
      setSecret(made.secret ?? null);
      void queries.invalidateQueries({ queryKey: ["address", workflow.id] });
    },
    onError: fail,
  });
  const learn = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/workflows/{workflow_id}/learn", path)),
    onSuccess: ({ inputs, lists }) =>
      onChange({
        ...own,
        inputs: [...own.inputs, ...inputs.filter((i) => !own.inputs.some((o) => o.key === i.key && o.place === i.place))],
        lists: [...own.lists, ...lists.filter((l) => !own.lists.some((o) => o.key === l.key))],
      }),
    onError: fail,
  });
  const [secret, setSecret] = useState<string | null>(null); // known right after the address was made, and not again
  const copy = (text: string, what: string) => void copyText(text).then(() => tell(`${what} copied.`), fail);
  const [ranges, setRanges] = useState<string | null>(null); // as they are typed
  const fresh: Input = { key: "", type: types[0]?.code ?? "", required: false, place: "body" };
  const proves = own.signed || own.secret;
  const found = address.data;
  return (
    <>
      {found ? (
        <div className="cond labelled address">
          <span>Address</span>
          <code className="clip" title={found.address}>
            {found.address}
          </code>
          <Button onClick={() => copy(found.address, "The address was")}>Copy</Button>
          <Button onClick={() => copy(found.example, "The example request was")}>Copy example request</Button>
        </div>
      ) : (
        <div className="cond labelled">
          <span>Address</span>
          <Button variant="contained" onClick={() => make.mutate()} disabled={make.isPending}>
            Create address
          </Button>
        </div>
      )}
      <InputsTable label="Values in a request" inputs={own.inputs} anywhere onChange={(inputs) => onChange({ ...own, inputs })} />
      <InputLists lists={own.lists} fresh={fresh} onChange={(lists) => onChange({ ...own, lists })} />
      {findings
        .filter((f) => f.key === "inputs" || f.key === "ranges")
        .map((f) => (
          <p key={f.sentence} className="bad">
            ! {f.sentence}
          </p>
        ))}
      <div className="flush around-1">
        <button className="link" onClick={() => onChange({ ...own, inputs: [...own.inputs, fresh] })}>
          + Add value
        </button>
        {" · "}
        <button className="link" onClick={() => onChange({ ...own, lists: [...own.lists, { key: "", fields: [fresh] }] })}>
          + Add list
        </button>
        {" · "}
        <button className="link" onClick={() => learn.mutate()}>
          Use values of the last request
        </button>
        <span className="quiet"> While the workflow is off, incoming requests become samples.</span>
      </div>
      {found && <TestRequest workflow={workflow.id} isOn={workflow.state === "on"} example={found.example_body} />}
      <div className="row wrapped">
        <label>
          <input type="checkbox" checked={own.signed} onChange={(event) => onChange({ ...own, signed: event.target.checked })} /> only
          requests signed by the Standard Webhooks scheme
        </label>
        <label>
          <input type="checkbox" checked={own.secret} onChange={(event) => onChange({ ...own, secret: event.target.checked })} /> only
          requests with the secret
        </label>
        {proves && found && secret && (
          <button className="link" title="Copy it now: it won’t be shown again" onClick={() => copy(secret, "The secret was")}>
            {secret}
          </button>
        )}
        {proves && found && !secret && (
          <span className="quiet">The secret was shown once, when the address was created. Replace the address to get a new one.</span>
        )}
        <label>
          at most{" "}
          <input
            type="number"
            min={0}
            className="find flush w-64"
            aria-label="Requests a minute"
            value={own.limit}
            onChange={(event) => onChange({ ...own, limit: Math.max(0, Math.round(Number(event.target.value) || 0)) })}
          />{" "}
          a minute <span className="quiet">{own.limit === 0 ? "(0 means no limit)" : ""}</span>
        </label>
        <label>
          only from{" "}
          <input
            className="find flush w-168"
            aria-label="Address ranges"
            placeholder="anywhere"
            value={ranges ?? own.ranges.join(", ")}
            onChange={(event) => {
              setRanges(event.target.value);
              onChange({ ...own, ranges: event.target.value.split(/[\s,]+/).filter(Boolean) });
            }}
            onBlur={() => setRanges(null)}
          />
        </label>
        {found && (
          <button className="link" onClick={() => make.mutate()} title="The old address will stop working">
            Replace address
          </button>
        )}
      </div>
    </>
  );
}
