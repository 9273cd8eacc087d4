"""Telling other processes: at once where it works, and never a matter of correctness."""

from __future__ import annotations

import socket
import time

import pytest

from kelvix.core.collection import Change, TransientError
from kelvix.engine import switch
from kelvix.engine.dispatch import Dispatch
from kelvix.store import journal, subscriptions
from support import turn_on, until


@pytest.fixture
def ends(kelvix):
    """Two that listen, one for work and one for news, and one that tells."""
    home = kelvix.engine.directory.home
    work, news, teller = Dispatch(home), Dispatch(home), Dispatch(home)
    work.listen("work")
    news.listen("news")
    return work, news, teller


def test_each_is_told_what_it_wants_and_no_more(ends):
    work, news, teller = ends
    teller.announce(10**12, "ready", "runs", "records:5")
    assert (10**12, ["ready"]) in work.wait(2)
    assert (10**12, ["runs", "records:5"]) in news.wait(2)
    teller.announce(10**12, "runs")
    assert all(w != 10**12 for w, _ in work.wait(0.1))


def test_rubbish_is_passed_over(ends):
    work, _, teller = ends
    address = work._in.getsockname()
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as stranger:
        for rubbish in (b"", b"\xff\xfe", b"{}", b'["x"]', b"[]"):
            stranger.sendto(rubbish, address)
    teller.announce(10**12, "ready")
    assert (10**12, ["ready"]) in until(lambda: [t for t in work.wait(1) if t[0] == 10**12])


def test_waiting_ends_in_time(ends):
    work, _, _ = ends
    began = time.monotonic()
    while any(True for _ in work.wait(0.05)):
        pass
    assert time.monotonic() - began < 2


def test_nobody_is_left_out_while_the_list_of_listeners_is_read(ends, monkeypatch):
    """Another thread that announces at that moment tells those who were known before."""
    teller = ends[0]
    teller._listeners("news")
    before = dict(teller._known)

    def read(work):
        class Slowly(dict):
            def items(self):
                for pair in super().items():
                    assert teller._known == before, "it is taken over whole"
                    yield pair

        return Slowly(home.read(work))

    home = teller._home
    monkeypatch.setattr(teller, "_home", type("Home", (), {"read": staticmethod(read)}))
    teller._known_at = 0.0
    assert teller._listeners("news")


def test_who_is_gone_is_forgotten(kelvix, ends):
    home = kelvix.engine.directory.home
    home.transact(lambda t: t.execute("INSERT INTO listener VALUES ('127.0.0.1:9', 'work', NOW(3) - INTERVAL 1 MINUTE)"))
    assert ("127.0.0.1", 9) not in Dispatch(home)._listeners("work")


def test_work_that_nobody_announced_is_found(orla):
    """The net under the datagrams: a row of the journal alone is enough."""
    on = turn_on(orla)
    orla.faults(push="never")
    try:
        orla.deliver("Unannounced")
        of = orla.space.read(lambda t: subscriptions.of_workflow(t, orla.space.id, on.workflow))
        change = Change(str(on.newest_message()), "added", "new", 1)
        assert orla.space.read(lambda t: journal.take_in(t, orla.space.id, of.id, change, "push")) == "new"
        assert until(on.titles) == ["Unannounced"]
    finally:
        orla.faults()


def test_an_app_that_will_not_push_is_read_more_often(orla, monkeypatch):
    on = turn_on(orla)
    orla.api("POST", f"/workflows/{on.workflow}/off")
    engine = orla.kelvix.engine

    def refuse(*_):
        raise TransientError("no pushes here")

    monkeypatch.setattr(engine.apps["mail"].accounts, "subscribe", refuse)
    switch.turn_on(engine, orla.space, on.workflow)
    read = on.detail()["subscription"]
    assert read["pushed"] is False
    orla.deliver("Without a push")
    on.check_now()
    assert until(on.titles) == ["Without a push"]


def test_turning_on_again_listens_to_another_folder(orla):
    on = turn_on(orla)
    detail = on.detail()
    detail["document"]["lines"][0] |= {"container": str(orla.folders["Suppliers"]), "container_name": "Suppliers"}
    orla.api(
        "PUT",
        f"/workflows/{on.workflow}",
        json={"name": "x", "document": detail["document"]},
        headers={"if-match": str(detail["draft_version"])},
    )
    orla.deliver("Still the old folder")
    until(on.titles)
    orla.api("POST", f"/workflows/{on.workflow}/on")
    orla.deliver("The old folder no more")
    orla.deliver("The new folder", folder="Suppliers")
    assert until(lambda: on.titles() if len(on.titles()) == 2 else None) == ["The new folder", "Still the old folder"]
    on.check_now()
    assert len(on.titles()) == 2
    assert len(orla.kelvix.practice.subscribers(orla.folders["Enquiries"])) == 0
