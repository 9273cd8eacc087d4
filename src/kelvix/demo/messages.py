"""The demo's mail: made-up people, parishes and firms of Brackenfell Organ Works. Every address ends in .example."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime
from email.message import EmailMessage
from email.utils import format_datetime

from kelvix.demo.days import moved

ADDRESSES = {
    "Enquiries": "enquiries@brackenfell.example",
    "Suppliers": "suppliers@brackenfell.example",
    "Concerts": "concerts@brackenfell.example",
    "Tuning": "tuning@brackenfell.example",
    "Private": "orla@brackenfell.example",
}


@dataclass(frozen=True)
class Letter:
    """`day` is of November 2026, as it was written (`days.moved`); `kind` says how it is written as MIME."""

    folder: str
    day: int
    clock: str
    sender: str
    subject: str
    text: str
    kind: str = "plain"
    attached: tuple[tuple[str, bytes], ...] = ()
    answers: str = ""
    key: str = field(default="")

    @property
    def at(self) -> datetime:
        hour, minute = map(int, self.clock.split(":"))
        return moved(datetime(2026, 11, self.day, hour, minute, tzinfo=UTC))

    @property
    def message_id(self) -> str:
        return f"<{self.key or f'{self.day}-{self.clock}'.replace(':', '')}.{self.folder.lower()}@post.example>"


PDF = b"%PDF-1.4\n1 0 obj<</Type/Catalog/Pages 2 0 R>>endobj 2 0 obj<</Type/Pages/Kids[]/Count 0>>endobj\ntrailer<</Root 1 0 R>>\n%%EOF\n"
ADA, HEWEN = "Revd Ada Pell <ada.pell@stbride.example>", "Tobias Wren <t.wren@sthewen.example>"
WICK, REED = "Tannery Wick <accounts@tannerywick.example>", "Calder Reed Tongues <office@calder-reeds.example>"
METAL, FELT = "Ostrey Pipe Metal <sales@ostrey.example>", "Nettle & Felt <billing@nettlefelt.example>"

ENQUIRIES = (
    Letter(
        "Enquiries",
        2,
        "10:10",
        "Miriam Oake <m.oake@wickchapel.example>",
        "Humidifier advice",
        "Our chapel was heated hard last winter and the soundboards have split. Would you advise on a humidifier, and what would an estimate cost?",
    ),
    Letter(
        "Enquiries",
        3,
        "09:32",
        "The Winter Recital <news@recitals.example>",
        "Newsletter: The Winter Recital",
        "Six recitals, six organs, one winter. Tickets from Thursday.",
        "html",
    ),
    Letter(
        "Enquiries",
        4,
        "14:18",
        "Jonas Tarn <jonas.tarn@stpetroc.example>",
        "Second-hand Dulciana",
        "We look for a Dulciana of 56 pipes for a small chamber organ. Have you one, and could you quote for it with its voicing?",
    ),
    Letter(
        "Enquiries",
        5,
        "08:05",
        "Edda Holm <edda@holyrood.example>",
        "Water through the case",
        "Rain came through the north aisle and into the case. The Great is silent. Could you visit soon? Pictures attached.",
        "attached",
        (("case-north.jpg", b"\xff\xd8\xff\xe0" + b"0" * 4000), ("great-soundboard.jpg", b"\xff\xd8\xff\xe0" + b"1" * 6000)),
    ),
    Letter(
        "Enquiries",
        6,
        "15:44",
        "Peter Lisle <churchwarden@stosyth.example>",
        "Blower replacement",
        "The blower screams. Please send an estimate for a new one, silent if there is such a thing.",
    ),
    Letter(
        "Enquiries",
        9,
        "11:20",
        "Ruth Amory <r.amory@allsaints-ferry.example>",
        "Cipher on the Great",
        "The G above middle C sounds by itself on the Great after rain. Is this a small thing? We can pay for a visit.",
    ),
    Letter(
        "Enquiries",
        9,
        "11:52",
        "Gilda Frost <gilda@frostevents.example>",
        "Your listing expires",
        "Renew your entry in our directory of craftsmen today and save a third.",
        "html",
    ),
    Letter(
        "Enquiries",
        10,
        "16:31",
        HEWEN,
        "Estimate for St Hewen’s",
        "The committee asks for an estimate for re-leathering both bellows, in two phases if need be.",
        key="hewen1",
    ),
    Letter(
        "Enquiries",
        11,
        "09:12",
        HEWEN,
        "Re: Estimate for St Hewen’s",
        "I forgot to say: the feeder bellows too.\n\nTobias\n\n> The committee asks for an estimate",
        answers="hewen1",
    ),
    Letter(
        "Enquiries",
        11,
        "18:20",
        "Søren Ålgård <soren@nordlyd.example>",
        "Besøg i værkstedet? A visit to the workshop",
        "Kære venner, we build harmoniums in Århus and would like to visit your workshop in January. Passer det?",
        "latin1",
    ),
    Letter(
        "Enquiries",
        12,
        "07:58",
        "Ελένη Μαύρου <eleni@ionio.example>",
        "Εκτίμηση για ένα μικρό όργανο (estimate)",
        "Καλημέρα σας. Our chapel in Kerkyra has a small English organ of about 1840. Could you send an estimate for its repair?",
    ),
    Letter(
        "Enquiries",
        12,
        "13:41",
        "Райна Колева <raina@organi.example>",
        "Оферта: estimate for reed voicing",
        "Здравейте. We own a chamber organ made in your county and seek an estimate for voicing its reeds. Благодаря предварително.",
    ),
    Letter(
        "Enquiries",
        13,
        "10:02",
        "Ilse Brand <ilse.brand@stmildred.example>",
        "Restoration, first phase",
        "The faculty was granted. Please quote for the first phase: pedal chest and the Open Wood.",
        "attached",
        (("faculty.pdf", PDF), ("specification-2019.pdf", PDF)),
    ),
    Letter(
        "Enquiries",
        13,
        "17:26",
        "Otto Quill <otto@quillbooks.example>",
        "A book on temperaments",
        "You may like our new edition on meantone temperaments. A reading copy is yours for the asking.",
    ),
    Letter(
        "Enquiries",
        16,
        "09:40",
        "Ada Pell <ada.pell@stbride.example>",
        "",
        "Sent from the vestry, without my spectacles. Please ring about the quote.",
    ),
    Letter(
        "Enquiries",
        16,
        "12:15",
        "Lady Corrigan <house@marlhall.example>",
        "Chamber organ at Marl Hall",
        "We have found an organ behind a wall. Would you come and say what it is, and what a repair would cost? A visit before Christmas would be kind.",
    ),
    Letter(
        "Enquiries",
        17,
        "08:50",
        "Ivo Sand <ivo.sand@thornmere-school.example>",
        "Estimate for school hall",
        "<p>Our school hall has an organ of <b>two manuals</b> that nobody plays.</p><p>What would an <i>estimate</i> for its removal cost?</p>",
        "html-only",
    ),
    Letter(
        "Enquiries",
        17,
        "16:05",
        HEWEN,
        "Re: Estimate for St Hewen’s",
        "The committee meets on Friday. May we have the figures by then?",
        answers="hewen1",
    ),
    Letter(
        "Enquiries",
        18,
        "10:33",
        "Nadia Brook <nadia@lowmarket-arts.example>",
        "Hiring a portative for March",
        "For a mystery play in March we would hire a portative organ. What would you quote for three days?",
    ),
    Letter(
        "Enquiries",
        18,
        "22:47",
        "Prize Office <winner@lucky-prizes.example>",
        "You have been chosen",
        "Claim your prize within 24 hours.",
    ),
    Letter(
        "Enquiries",
        19,
        "09:05",
        "Dr Anselm Rook <a.rook@college.example>",
        "Tuning contract, college chapel",
        "Our contract ends in December. Please send a quote for four tunings a year, with pitch and temperament unchanged.",
    ),
    Letter(
        "Enquiries",
        19,
        "14:22",
        "Hester Vane <hester.vane@oxbow.example>",
        "Voicing of the new Trumpet",
        "The Trumpet is splendid and rather too splendid. Could you visit and take the edge off it?",
    ),
    Letter(
        "Enquiries",
        20,
        "11:17",
        "Theo Marsh <theo@marshandsons.example>",
        "Scaffolding for Oxbow",
        "Scaffolding can stand from the 7th. Shall I send my estimate to you or to the parish?",
    ),
    Letter(
        "Enquiries",
        20,
        "16:31",
        HEWEN,
        "Re: estimate, St Hewen’s",
        "Thank you for the estimate. The treasurer asks whether the reeds could wait until spring.",
        answers="hewen1",
    ),
    Letter(
        "Enquiries",
        23,
        "08:40",
        WICK,
        "Invoice 8841, Tannery Wick",
        "Please find our invoice 8841 for reed leather. It seems that we had an old address for you.",
        "attached",
        (("invoice-8841.pdf", PDF),),
    ),
    Letter(
        "Enquiries",
        23,
        "17:02",
        ADA,
        "Quote for a tremulant",
        "Dear all,\n\nOur tremulant has grown restless. It now beats at nearly seven to the second, and the Swell shakes with it. Could you look before "
        "Advent, and say what a new one would cost?\n\n- the motor is from 1961\n- the chest was re-leathered four years ago\n\nWith thanks\nAda Pell",
        "attached",
        (("nether-wend.pdf", PDF),),
    ),
    Letter(
        "Enquiries",
        24,
        "09:14",
        "Ruth Amory <r.amory@allsaints-ferry.example>",
        "Loft visit on Thursday",
        "Thursday at ten suits us. The ladder is in the vestry; mind the third rung.",
        "broken",
    ),
)

INVOICES = tuple(
    Letter(
        "Suppliers",
        day,
        clock,
        sender,
        f"Invoice {number}",
        f"Invoice {number}\n{what}\nTotal due: £ {amount}\nPayable within 30 days.\n",
        "attached",
        ((f"invoice-{number}.pdf", PDF),),
    )
    for day, clock, sender, number, what, amount in (
        (2, "07:40", WICK, "8790", "Split-skin leather, 4 skins", "212.00"),
        (3, "09:15", METAL, "MP-4410", "Spotted metal, 12 kg", "388.50"),
        (5, "08:02", REED, "R-0931", "Reed tongues, brass, 61", "174.25"),
        (6, "16:20", FELT, "2026-118", "Action felt, crimson, 6 m", "96.40"),
        (10, "07:44", WICK, "8812", "Pallet leather, 2 skins", "148.00"),
        (11, "10:08", METAL, "MP-4433", "Plain metal, 30 kg", "641.00"),
        (13, "09:01", REED, "R-0947", "Tuning wires, 200", "58.00"),
        (16, "08:30", FELT, "2026-131", "Bushing cloth, 3 m", "41.75"),
        (18, "07:52", WICK, "8829", "Gusset leather, 6 skins", "365.20"),
        (20, "09:26", METAL, "MP-4460", "Zinc sheet, 4", "255.00"),
        (23, "08:40", WICK, "8841", "Reed leather, 5 skins", "412.60"),
        (24, "08:58", FELT, "2026-140", "Baize, green, 2 m", "33.10"),
    )
)

OTHERS = (
    Letter(
        "Suppliers",
        12,
        "11:30",
        METAL,
        "Price list from January",
        "Our new prices are attached. Zinc goes up by a tenth.",
        "attached",
        (("prices-2027.csv", b"item;price\nzinc;61.20\n"),),
    ),
    Letter("Suppliers", 19, "15:12", FELT, "Late delivery", "The crimson felt is late by a week. We are sorry."),
    Letter(
        "Concerts",
        4,
        "19:03",
        "Hanna Tamsin <h.tamsin@post.example>",
        "Put me on the list",
        "Please tell me of your concerts in the workshop.",
    ),
    Letter(
        "Concerts",
        6,
        "20:11",
        "Bo Lindqvist <bo@post.example>",
        "Två biljetter, tack",
        "Is there room for two on the 12th? Vi kommer från Malmö.",
        "latin1",
    ),
    Letter(
        "Concerts",
        10,
        "12:40",
        "Carys Penn <carys@pennharps.example>",
        "Harp and organ in the workshop?",
        "I play the harp. Might we give a concert together in spring?",
    ),
    Letter(
        "Concerts",
        14,
        "09:55",
        "Hanna Tamsin <h.tamsin@post.example>",
        "Re: Put me on the list",
        "Thank you. My neighbour too, please: m.ward@post.example",
    ),
    Letter(
        "Concerts",
        21,
        "18:36",
        "Vincent Aho <v.aho@post.example>",
        "Programme of the 12th",
        "Could I have the programme beforehand? I review for the county paper.",
    ),
    Letter(
        "Tuning",
        3,
        "08:10",
        "Sexton, All Saints <sexton@allsaints-ferry.example>",
        "Key of the loft",
        "The key hangs behind the third hymn board now.",
    ),
    Letter(
        "Tuning",
        5,
        "13:20",
        "Ilse Brand <ilse.brand@stmildred.example>",
        "Tuning before the wedding",
        "There is a wedding on the 14th at noon. Could the tuning be on the 12th?",
    ),
    Letter(
        "Tuning",
        9,
        "09:30",
        "Ivo Carrow <ivo@brackenfell.example>",
        "Pitch book: Thornmere",
        "A=439.2 at 14 degrees. Mixture untouched. Two slides stuck.",
    ),
    Letter(
        "Tuning",
        12,
        "10:44",
        "Peter Lisle <churchwarden@stosyth.example>",
        "Tuning day moved",
        "Not the 18th, please: a funeral. The 19th from nine?",
    ),
    Letter(
        "Tuning",
        11,
        "18:05",
        "Ivo Carrow <ivo@brackenfell.example>",
        "Pitch book: Oxbow",
        "A=439.6 at 12 degrees. Trumpet bottom C is slow.",
    ),
    Letter(
        "Tuning",
        13,
        "16:40",
        "Ivo Carrow <ivo@brackenfell.example>",
        "Pitch book: Marl",
        "A=441.0 at 19 degrees; the fire was lit. One stopped pipe off its foot.",
    ),
    Letter(
        "Tuning",
        17,
        "17:18",
        "Ivo Carrow <ivo@brackenfell.example>",
        "Pitch book: St Osyth",
        "A=440.1 at 15 degrees. The blower hums in G.",
    ),
    Letter(
        "Tuning",
        23,
        "16:02",
        "Sexton, All Saints <sexton@allsaints-ferry.example>",
        "Heating",
        "The heating is on from Advent. You will want to know.",
    ),
    *(
        Letter(
            "Private",
            day,
            "12:05",
            "Orla Fenwick <orla@brackenfell.example>",
            f"Note to self, {moved(datetime(2026, 11, day, tzinfo=UTC)):%-d %B}",
            note,
        )
        for day, note in (
            (2, "Ask Ivo about the long ladder."),
            (4, "Insurance: ring before Friday."),
            (6, "Moths in the felt again?"),
            (9, "Thank Hester for the jam."),
            (11, "Glue: order before the frost."),
            (13, "Apprentice starts on the 1st."),
            (16, "Van: tyres."),
            (18, "Photograph the Oxbow Trumpet."),
            (20, "Look for the 1912 scale book."),
            (23, "Advent: close at four."),
        )
    ),
)

LETTERS = tuple(sorted((*ENQUIRIES, *INVOICES, *OTHERS), key=lambda letter: (letter.at, letter.folder)))


def _plain(letter: Letter) -> EmailMessage:
    message = EmailMessage()
    message["From"], message["To"], message["Subject"] = (
        letter.sender,
        f"Brackenfell Organ Works <{ADDRESSES[letter.folder]}>",
        letter.subject,
    )
    message["Date"], message["Message-ID"] = format_datetime(letter.at), letter.message_id
    if letter.answers:
        message["In-Reply-To"] = f"<{letter.answers}.{letter.folder.lower()}@post.example>"
    return message


def source(letter: Letter) -> bytes:
    """Return a letter as its RFC 5322 source."""
    message = _plain(letter)
    match letter.kind:
        case "html-only":
            message.set_content(f"<html><body>{letter.text}</body></html>", subtype="html")
        case "html":
            message.set_content(letter.text)
            message.add_alternative(
                f"<html><body><h1>{letter.subject}</h1><p>{letter.text}</p><script>track()</script></body></html>",
                subtype="html",
            )
        case "latin1":
            message.set_content(letter.text, charset="iso-8859-1", cte="quoted-printable")
        case "broken":  # says one charset and is written in another, as some programs still do
            message.set_content(letter.text + " Café at noon?")
            return message.as_bytes().replace(b'charset="utf-8"', b'charset="x-unheard-of"')
        case _:
            message.set_content(letter.text)
    for name, content in letter.attached:
        kind = {"jpg": ("image", "jpeg"), "pdf": ("application", "pdf"), "csv": ("text", "csv")}[name.rpartition(".")[2]]
        message.add_attachment(content, maintype=kind[0], subtype=kind[1], filename=name)
    for number, part in enumerate(message.walk()):
        if part.is_multipart():  # else a chance number: the demo is the same each time
            part.set_boundary(f"part-{number}-{letter.message_id.strip('<>').partition('@')[0]}")
    return message.as_bytes()


def all_sources() -> Iterator[tuple[Letter, bytes]]:
    """Every letter with its source, in order of time."""
    for letter in LETTERS:
        yield letter, source(letter)
