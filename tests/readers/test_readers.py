"""What comes from outside is read in children that can be killed: whatever a file does to its parser, its reader goes on."""

from __future__ import annotations

import os
import re
import signal
import subprocess
import sys
import threading
from dataclasses import replace

import pytest
from PIL import Image

from attacks import heavy_pdf, taking
from kelvix.formats.lists_of_links import Unreadable
from kelvix.readers import contents, kinds, pool
from kelvix.readers.pool import NotRead, Pool
from kelvix.settings import TOP
from support import until


@pytest.fixture
def short(monkeypatch):
    """Each kind may take a second."""
    for name, kind in kinds.KINDS.items():
        monkeypatch.setitem(kinds.KINDS, name, replace(kind, seconds=1.0))


@pytest.fixture
def own(monkeypatch):
    """A pool of its own, that ends with the test."""
    made = Pool()
    monkeypatch.setattr(contents, "POOL", made)
    yield made
    while made._alive:
        made._lose(made._idle.get(timeout=30))


def test_each_kind_is_read_as_its_format_reads_it(own, tmp_path):
    picture = tmp_path / "a.png"
    Image.new("RGB", (30, 20)).save(picture)
    with picture.open("rb") as file:
        assert contents.picture(file).width == 30
    assert contents.picture(BytesFile(tmp_path, b"no picture")) is None
    page = "<html lang='de'><head><title>Reeds</title></head><body><article><p>Ünder one roof.</p></article></body></html>"
    assert contents.article(page, "https://a.example/x?utm_source=b").title == "Reeds"
    assert contents.article(page.encode("latin-1"), "", "iso-8859-1").text == "Ünder one roof."
    source = b"Subject: Hello\r\nContent-Type: multipart/mixed; boundary=b\r\n\r\n--b\r\n\r\ntext\r\n--b\r\nContent-Disposition: attachment; filename=a.bin\r\n\r\n\xff\x00\r\n--b--\r\n"
    message = contents.message(source)
    assert (message.subject, message.text, message.date, [a.name for a in message.attachments]) == (
        "Hello",
        "text",
        None,
        ["a.bin"],
    )
    assert contents.message_parts(source, (2, 99)) == {2: b"\xff\x00"}
    feed = b"<rss version='2.0'><channel><item><link>https://a.example/1</link><title>One</title><description>&lt;p&gt;Text&lt;/p&gt;</description></item></channel></rss>"
    assert [(li.title, li.text) for li in contents.links(feed, as_text=True)] == [("One", "Text")]
    with pytest.raises(Unreadable, match="this is not a feed"):
        contents.links(b"nothing")
    assert own._alive == 1, "one child read all of it"


def BytesFile(folder, content):
    file = (folder / "file").open("w+b")
    file.write(content)
    file.seek(0)
    return file


def test_a_heavy_page_is_broken_off_and_the_reader_goes_on(own, short, tmp_path):
    with taking(20):
        found = contents.pdf(BytesFile(tmp_path, heavy_pdf()))
    assert "can’t be read" in found.problem or "more than 1 seconds" in found.problem
    assert contents.message(b"Subject: next\r\n\r\nx").subject == "next"


def test_what_does_not_come_to_an_end_is_killed_and_another_child_takes_its_place(own, short, monkeypatch):
    """A parser in C that never looks up, as a stopped process."""
    assert contents.message(b"Subject: first\r\n\r\nx").subject == "first"
    child = own._idle.get()
    watched = os.dup(child.process)
    signal.pidfd_send_signal(watched, signal.SIGSTOP)
    own._idle.put(child)
    found = contents.message(b"Subject: second\r\n\r\nx")
    assert found.subject == "second" and found.problems[0] == "it can’t be read: reading it took more than 1 seconds"
    until(lambda: pool.ended(watched))
    os.close(watched)
    assert contents.message(b"Subject: third\r\n\r\nx").problems == contents.message(b"Subject: third\r\n\r\nx").problems


def test_a_child_that_dies_is_replaced(own):
    contents.message(b"Subject: first\r\n\r\nx")
    child = own._idle.get()
    signal.pidfd_send_signal(child.process, signal.SIGKILL)
    until(lambda: not child.alive)
    own._idle.put(child)
    assert contents.message(b"Subject: second\r\n\r\nx").subject == "second"


def test_a_nursery_that_dies_takes_its_children_along_and_is_replaced(own):
    """As where the system, short of memory, ends it."""
    contents.message(b"Subject: first\r\n\r\nx")
    child = own._idle.get()
    os.kill(parent_of(pid_of(child)), signal.SIGKILL)
    until(lambda: not child.alive)
    own._idle.put(child)
    assert contents.message(b"Subject: second\r\n\r\nx").subject == "second"


def pid_of(child):
    with open(f"/proc/self/fdinfo/{child.process}") as about:
        return int(re.search(r"^Pid:\s+(\d+)", about.read(), re.M)[1])


def parent_of(pid):
    with open(f"/proc/{pid}/stat") as about:
        return int(about.read().rpartition(")")[2].split()[1])


def test_children_are_forked_where_no_other_thread_is(own):
    """It is ready at once; and the nursery has one thread: a lock that another held would stay locked in each child."""
    contents.message(b"Subject: first\r\n\r\nx")
    child = own._idle.get()
    nursery = parent_of(pid_of(child))
    own._idle.put(child)
    assert os.listdir(f"/proc/{nursery}/task") == [str(nursery)]


def test_memory_has_a_limit(own, tmp_path):
    """A picture of a few bytes that would unpack to gigabytes; and a message that needs more than a child has."""
    bomb = b"P6\n60000 60000\n255\n"
    with taking(30):
        assert contents.picture(BytesFile(tmp_path, bomb)) is None
        with pytest.raises(NotRead, match="memory"):
            own.read_bytes("message", b"Subject: x\r\n\r\n" + b"\r\n" * (150 << 20))


def test_while_one_is_read_others_are_too(own, short, tmp_path):
    """A heavy file holds up its own reader only."""
    own.warm()
    heavy = threading.Thread(target=contents.pdf, args=(BytesFile(tmp_path, heavy_pdf()),))
    heavy.start()
    until(lambda: own._idle.empty() and own._alive)
    assert contents.message(b"Subject: beside\r\n\r\nx").subject == "beside"
    heavy.join()


def test_children_that_nobody_needs_end(own, monkeypatch):
    monkeypatch.setattr(pool, "IDLE", 0.2)
    own._grow(1)
    own._grow(2)
    until(lambda: own._idle.qsize() == 2)
    until(lambda: own._idle.qsize() == 1 and own._alive == 1)


def test_a_reader_dies_with_its_parent():
    code = (
        "from kelvix.readers.pool import Pool; p = Pool(); p.read_bytes('message', b'Subject: x'); c = p._idle.get(); "
        "print(open(f'/proc/self/fdinfo/{c.process}').read().split('Pid:')[1].split()[0], flush=True); "
        "import time; time.sleep(60)"
    )
    parent = subprocess.Popen(
        [sys.executable, "-c", code], stdout=subprocess.PIPE, env=os.environ | {"PYTHONPATH": str(TOP / "src")}
    )
    child = int(parent.stdout.readline())
    os.kill(child, 0)
    parent.kill()
    parent.wait()

    def gone():
        try:
            os.kill(child, 0)
        except ProcessLookupError:
            return True
        return open(f"/proc/{child}/stat").read().split()[2] == "Z"

    until(gone)
    parent.stdout.close()


def test_a_position_in_a_file_is_kept(own, tmp_path):
    file = BytesFile(tmp_path, b"XXXXSubject: from here\r\n\r\n")
    file.seek(4)
    assert own.read("message", file).subject == "from here"


def test_many_threads_share_the_children(own):
    found: list[str] = []
    threads = [
        threading.Thread(target=lambda n=n: found.append(contents.message(f"Subject: {n}\r\n\r\n".encode()).subject))
        for n in range(40)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(found, key=int) == [str(n) for n in range(40)] and own._alive <= pool.MAX_CHILDREN
