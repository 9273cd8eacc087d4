"""From a message in a folder to a record in a database, through every process."""

from __future__ import annotations

import smtplib

import pytest

from support import turn_on, until


def test_a_message_becomes_a_record(on):
    orla = on.person
    orla.deliver("Quote for a tremulant", text="It has grown restless.")
    [record] = until(lambda: orla.records(on.database["id"]))
    name, address, _, text = (str(f["id"]) for f in on.database["fields"])
    assert record["values"][name] == "Quote for a tremulant"
    assert record["values"][address] == "ada.pell@stbride.example"
    assert record["values"][text] == "It has grown restless."
    [run] = orla.runs(on.workflow)
    assert run["state"] == "done" and {ln["line"]: ln["outcome"] for ln in run["lines"]} == {"w": "in", "a": "added"}
    detail = orla.api("GET", f"/databases/{on.database['id']}/records/{record['id']}")
    assert detail["origins"][address]["words"] == "Message › Sender › Address"
    assert detail["source_link"].startswith(orla.kelvix.settings.practice_address)
    assert detail["source"] == "Mail › Enquiries"
    assert detail["captured"]["run"] == run["id"]


def test_pushed_twice_and_polled_makes_one_record(on):
    orla = on.person
    orla.faults(push="twice")
    try:
        orla.deliver("Loft visit")
        until(on.titles)
        on.check_now()
    finally:
        orla.faults()
    orla.deliver("A second one")
    until(lambda: len(on.titles()) == 2)
    assert len(orla.runs(on.workflow)) == 2


def test_what_was_not_pushed_is_found_by_polling(on):
    orla = on.person
    orla.faults(push="never")
    try:
        orla.deliver("Nobody told")
        on.check_now()
        assert until(on.titles) == ["Nobody told"]
    finally:
        orla.faults()
    event = orla.space.row("SELECT came_by FROM event WHERE workspace_id=%s", (orla.space.id,))
    assert event["came_by"] == "poll"


def test_a_condition_passes_by_and_that_is_no_failure(orla):
    on = turn_on(orla, words=("quote", "estimate"))
    orla.deliver("Newsletter")
    orla.deliver("An Estimate, please")
    assert until(on.titles) == ["An Estimate, please"]
    until(lambda: sorted(r["state"] for r in orla.runs(on.workflow)) == ["done", "passed_by"])


def test_only_what_arrives_while_it_is_on_is_taken(orla):
    orla.deliver("Before")
    on = turn_on(orla)
    orla.deliver("During")
    until(on.titles)
    orla.api("POST", f"/workflows/{on.workflow}/off")
    orla.deliver("After")
    orla.api("POST", f"/workflows/{on.workflow}/on")
    orla.deliver("Again")
    until(lambda: len(on.titles()) == 2)
    on.check_now()
    assert sorted(on.titles()) == ["Again", "During"]


def test_an_edit_of_a_workflow_that_is_on_runs_only_when_turned_on(on):
    orla = on.person
    detail = on.detail()
    document = detail["document"]
    document["lines"][-1]["fillings"][0]["filling"] = [{"text": "New: "}, {"ref": {"line": "w", "value": "subject"}}]
    saved = orla.api(
        "PUT",
        f"/workflows/{on.workflow}",
        json={"name": "From the post", "document": document},
        headers={"if-match": str(detail["draft_version"])},
    )
    assert saved["changed_since_on"] and saved["live_version"] == 1
    orla.deliver("One")
    assert until(on.titles) == ["One"]
    orla.api("POST", f"/workflows/{on.workflow}/on")
    orla.deliver("Two")
    assert "New: Two" in until(lambda: on.titles() if len(on.titles()) > 1 else None)
    assert {r["number"] for r in orla.runs(on.workflow)} == {1, 2}


@pytest.mark.parametrize(
    "raw",
    [
        b"\x00\xff not a message",
        b"Content-Type: multipart/mixed; boundary=x\r\n\r\n--x",
        b"Subject: =?utf-8?B?/////?=\r\n\r\nhm",
    ],
)
def test_malformed_messages_arrive_and_say_what_is_wrong(on, raw):
    orla = on.person
    orla.deliver("", raw=raw)
    [run] = until(lambda: [r for r in orla.runs(on.workflow) if r["finished_at"]])
    if run["state"] == "failed":  # without a subject there is nothing for the required Name
        assert "Name is required" in run["problem"]
    item = orla.api("GET", f"/runs/{run['id']}")["item"]
    assert item["values"]["problems"]


def test_nul_bytes_and_four_byte_characters_cross_unharmed(on):
    orla = on.person
    orla.deliver("", raw="Subject: a\0b \N{MUSICAL SYMBOL G CLEF} 😀\r\nFrom: a@b.example\r\n\r\nx".encode())
    assert until(on.titles) == ["a\ufffdb \N{MUSICAL SYMBOL G CLEF} 😀"]


def test_a_message_of_30_megabytes_crosses(on):
    orla = on.person
    big = b"Subject: Big\r\nFrom: a@b.example\r\nContent-Type: multipart/mixed; boundary=x\r\n\r\n--x\r\n\r\nSee attached.\r\n--x\r\n"
    big += (
        b'Content-Type: application/pdf; name="big.pdf"\r\nContent-Disposition: attachment\r\n\r\n'
        + (b"0123456789abcdef" * 60 + b"\r\n") * 31_200
    )
    big += b"--x--\r\n"
    assert len(big) > 30_000_000
    orla.deliver("Big", raw=big)
    assert until(on.titles) == ["Big"]
    [run] = orla.runs(on.workflow)
    assert orla.api("GET", f"/runs/{run['id']}")["item"]["values"]["attachment_count"] == "1"


def test_a_larger_message_is_refused_by_smtp_with_a_reason(on):
    with pytest.raises(smtplib.SMTPResponseException) as caught:
        on.person.deliver("x", raw=b"Subject: x\r\n\r\n" + (b"0" * 998 + b"\r\n") * 42_000)
    assert caught.value.smtp_code == 552
