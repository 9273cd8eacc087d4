"""The trial grid: 8 samples and 20 lines (conditions, shaped values with formulas, records added) through the API, beside the bare
evaluation of the same lines in one process, and an endpoint that only answers. Claim: the whole request under 150 ms."""

from __future__ import annotations

import json
import time
from http.client import HTTPConnection

from _report import keep, kelvix, percentile, table, verdict
from intake import bare_server

from kelvix import processes
from kelvix.core import rehearsal
from kelvix.store import workflows
from support import document

TIMES, SAMPLES, LINES, AT_MOST = 100, 8, 20, 150.0


def timed(port: int, method: str, where: str, body: bytes | None, headers: dict[str, str]) -> list[float]:
    connection = HTTPConnection("127.0.0.1", port)
    found = []
    for _ in range(TIMES):
        began = time.perf_counter()
        connection.request(method, where, body, headers)
        answer = connection.getresponse()
        answer.read()
        assert answer.status == 200
        found.append((time.perf_counter() - began) * 1000)
    return found


def evaluated(running, orla, workflow: int, body: dict) -> list[float]:
    """The same lines and samples, rehearsed in this process: milliseconds."""
    engine, space = running.engine, orla.space
    document = workflows.parse(json.dumps(body))
    context = engine.context(space, document)
    items = [s.item["values"] for s in space.read(lambda t: workflows.samples(t, space.id, workflow))]
    found = []
    for _ in range(TIMES):
        began = time.perf_counter()
        for item in items:
            rehearsal.rehearse(document, item, context)
        found.append((time.perf_counter() - began) * 1000)
    return found


def main() -> None:
    with kelvix() as running:
        orla = running.person("Orla")
        connection = orla.connect("Enquiries")
        names = [f"Field {n}" for n in range(10)]
        database = orla.database("Enquiries", {"name": "Name", "type": "text"}, *({"name": n, "type": "text"} for n in names))
        fills = {"Name": "subject", "Text": "text", **dict.fromkeys(names, "sender.name")}
        body = document(connection, orla.folders["Enquiries"], database, fills)
        when, add = body["lines"]
        words = {"ref": {"line": "w", "value": "text"}, "operator": "mentions", "words": ["morning", "quote", "estimate"]}
        body["lines"] = [when]
        workflow = orla.workflow("Bench", {"lines": [when, add]})
        formula = orla.api(
            "POST",
            f"/workflows/{workflow}/formula",
            json={
                "document": {"lines": [when, add]},
                "line": "a",
                "text": 'truncate(Text, 40) + " / " + format date(Date, "HH:mm")',
            },
        )
        made = {"kind": "filled", "filling": [{"formula": {"kind": "formula", "tree": formula["tree"], "text": ""}}]}
        for n in range((LINES - 1) // 3 + 1):
            body["lines"] += [
                {"verb": "only_if", "id": f"o{n}", "mode": "any", "conditions": [words]},
                {"verb": "shape", "id": f"s{n}", "values": [{"key": "k", "name": f"Made {n}", "made": made}]},
                add | {"id": f"a{n}"},
            ]
        body["lines"] = body["lines"][:LINES]
        for n in range(SAMPLES):
            orla.api(
                "POST",
                f"/workflows/{workflow}/samples",
                json={"values": {"subject": f"s{n}", "sender.name": "Ada Pell", "text": "Good morning. " * 200}},
            )
        alone = evaluated(running, orla, workflow, body)
        child, port = bare_server(running)
        headers = {"content-type": "application/json", "cookie": f"kelvix={orla.web.cookies['kelvix']}"}
        ours = timed(
            running.settings.port,
            "POST",
            f"/api/v1/workflows/{workflow}/rehearse",
            json.dumps({"document": body}).encode(),
            headers,
        )
        bare = timed(port, "GET", "/hop", None, {})
        processes.stop(child)
    p50, p99 = percentile(ours, 0.5), percentile(ours, 0.99)
    base = percentile(bare, 0.5)
    table(
        f"rehearsal: {SAMPLES} samples, {LINES} lines",
        ["", "p50", "p99"],
        [
            ["Kelvix", f"{p50:.1f} ms", f"{p99:.1f} ms"],
            ["bare evaluation", f"{percentile(alone, 0.5):.1f} ms", f"{percentile(alone, 0.99):.1f} ms"],
            ["bare answer", f"{base:.1f} ms", f"{percentile(bare, 0.99):.1f} ms"],
            ["ratio to both", f"{p50 / (percentile(alone, 0.5) + base):.1f} x", ""],
        ],
    )
    verdict(p99 <= AT_MOST, f"under {AT_MOST:.0f} ms")
    keep("rehearsal", {"ours": ours, "evaluation": alone, "bare": bare})


if __name__ == "__main__":
    main()
