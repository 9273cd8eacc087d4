"""Work on whole mirrors, step by step: a plan read and carried out, both sides swept. Whoever does it can be replaced after any
step."""

from __future__ import annotations

import secrets as random
from collections.abc import Callable, Mapping
from contextlib import nullcontext

from kelvix.core.collection import PermanentError, TransientError
from kelvix.engine.engine import Engine
from kelvix.engine.mirrors import planning, rehearsing, sweeping
from kelvix.engine.mirrors.looking import open_mirror, stop_mirror
from kelvix.engine.mirrors.planning import Stage
from kelvix.engine.mirrors.running import Running, Stop
from kelvix.engine.pacing import Paced
from kelvix.store import mirrors
from kelvix.store.database_server import DatabaseServer, Transaction
from kelvix.store.directory import Space
from kelvix.store.mirrors import KeptMirror

AGAIN = 20.0  # seconds, after an app failed
TOLD_EVERY = 10  # steps after which whoever looks is told
Does = Callable[[Space, KeptMirror, Running, Stage, str], Stage | None]


def _recognise(space: Space, kept: KeptMirror, running: Running, stage: Stage, token: str) -> Stage | None:
    return planning.recognise(space, kept, stage, token)


STAGES: Mapping[str, Does] = {
    "read": planning.read,
    "match": _recognise,
    "carry": planning.carry,
    "sweep": sweeping.sweep,
    "parity": sweeping.compare,
    "rehearse": rehearsing.rehearse,
}


def work_due(engine: Engine, server: DatabaseServer) -> int:
    """Do the work on one mirror that is due, to its end: how many steps that took."""
    server.transact(lambda t: _begin_sweep(engine, t))
    token, lease = random.token_hex(16), engine.settings.lease
    claimed = server.transact(lambda t: mirrors.claim_stage(t, token, lease))
    if claimed is None or claimed[0].stage is None:
        return 0
    kept = claimed[0]
    space = engine.directory.open(kept.workspace_id)
    wait, has_turn = 0.0, False
    steps = 0
    try:
        with engine.pacer.turn(claimed[1]):
            running = open_mirror(engine, space, kept)
            stage: Stage | None = kept.stage
            while stage is not None:
                with engine.pacer.patient() if stage["does"] == "rehearse" else nullcontext():
                    stage = STAGES[stage["does"]](space, kept, running, stage, token)
                steps += 1
                if not server.transact(lambda t: mirrors.hold_stage(t, kept.id, token, lease)):
                    return steps
                now = space.read(lambda t: mirrors.get(t, space.id, kept.id))
                if now is None or now.state not in ("planning", "on") or now.version != kept.version:
                    break  # stopped, or changed meanwhile: the next to take it up begins with that
                if steps % TOLD_EVERY == 0:
                    engine.dispatch.announce(space.id, f"mirror:{kept.id}")
    except Paced as paced:
        wait, has_turn = paced.after, paced.own
    except TransientError as failure:
        wait = failure.after or AGAIN
    except Stop as stop:
        _give_up(engine, space, kept, str(stop), token)
    except PermanentError as failure:
        engine.note_failure(space, failure.connection, failure)
        _give_up(engine, space, kept, f"{failure}.", token)
    server.transact(lambda t: mirrors.hold_stage(t, kept.id, token, wait, has_turn))
    engine.dispatch.announce(space.id, f"mirror:{kept.id}", "mirrors")
    return steps


def _give_up(engine: Engine, space: Space, kept: KeptMirror, reason: str, token: str) -> None:
    """Stop a mirror for a reason; of one that was rehearsed, only the rehearsal is over."""
    if kept.stage is not None and kept.stage["does"] == "rehearse":
        rehearsing.end(space, kept, {"began_at": kept.stage["began_at"], "problem": reason}, token)
    else:
        stop_mirror(engine, space, kept, reason)


def _begin_sweep(engine: Engine, t: Transaction) -> None:
    kept = mirrors.due_sweep(t)
    if kept is not None:
        sweeping.begin(t, engine.directory.open(kept.workspace_id), kept)
