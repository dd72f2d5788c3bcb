"""The chapters of the tour: what is asked, the command, and what to notice in its output."""

from __future__ import annotations

from typing import NamedTuple


class Chapter(NamedTuple):
    """One step of the tour; ``code`` is the exit code that the command ends with.

    A command that ends with `&` goes on in the background to the end of the tour; the next one waits for the file ``until``.
    """

    title: str
    question: str
    call: tuple[str, ...]
    notice: str
    code: int = 0
    until: str = ""


CHAPTERS: tuple[Chapter, ...] = (
    Chapter(
        "Which level does each logger really have?",
        "plan.yaml sets few levels; the others are inherited. Who decides, on which line, and where does each deliver?",
        ("levels", "plan.yaml", "ropeway.gate.scanner", "lib.pool", "ropeway.drive"),
        "The scanner inherits info from ropeway, so its debug messages stop there. ropeway.drive delivers to desk twice. "
        "lib delivers nowhere, and lib.pool's own entry is switched off.",
    ),
    Chapter(
        "Was my file even picked up?",
        "local.yaml was meant to switch the drive's trace messages on. Nothing happened.",
        ("origin", "plan.yaml", "--unused", "--with", "local.yaml", "--env-file", "sereno.env"),
        "ropeway.driev is not the drive; the nearest logger is offered. night-report is attached to nothing.",
    ),
    Chapter(
        "Which events reach which sink?",
        "A week of real traffic, sent through the plan without touching any sink.",
        ("routes", "plan.yaml", "week.jsonl"),
        "One heartbeat line stands for sixty events (its count). desk shows more arrivals than events for the drive. "
        "The warnings of lib.http arrive nowhere, and night-report is attached to nothing.",
    ),
    Chapter(
        "Why is the debug message not there?",
        "A guest's badge was read, and the log shows nothing. Line by line: which gate stopped it?",
        ("why", "plan.yaml", "--logger", "ropeway.gate.scanner", "--level", "debug", "--field", "badge=20817"),
        "The level gate: nothing is wrong with any appender. The line to change is named.",
        1,
    ),
    Chapter(
        "What would let it through?",
        "The scanner's debug messages are wanted at the desk while INC-7 is open. What is the smallest change, and its price?",
        ("why", "plan.yaml", "--from", "week.jsonl:208", "--to", "desk", "--events", "week.jsonl"),
        "Each way was tried by routing the message with it. The first costs nothing else; the others show what they add.",
        1,
    ),
    Chapter(
        "And why is this one there twice?",
        "The brake fault of Friday, from the file itself.",
        ("why", "plan.yaml", "--from", "week.jsonl:2370"),
        "desk is met twice on the climb, at ropeway.drive and at root; each meeting delivers.",
    ),
    Chapter(
        "What will the line look like?",
        "The same event for people at the desk, and for machines in the ledger.",
        (
            "preview",
            "plan.yaml",
            "week.jsonl",
            "--side-by-side",
            "desk",
            "fare-ledger",
            "--logger",
            "ropeway.fare",
            "--level",
            "error",
        ),
        "desk cuts and shortens; the ledger keeps every field. preview without events makes telling samples of its own.",
    ),
    Chapter(
        "Which files will there be?",
        "The daybook rolls every night at three, and at 6 KiB. What did the storm of Thursday do to it?",
        ("rolling", "plan.yaml", "week.jsonl", "--appender", "daybook"),
        "The storm alone filled four files, and the limit of eight files, not the five days, removed the oldest.",
    ),
    Chapter(
        "What did the old log say?",
        "A ledger of the week before, back into events.",
        ("read", "fare-old.jsonl", "--plan", "plan.yaml", "--appender", "fare-ledger", "--first", "3"),
        "The appender's template, read backwards, gives events again: send them through the plan, or search them.",
    ),
    Chapter(
        "What happened at gate 2?",
        "Friday, 10:41: the desk's log and the ledger, one after the other in time, and what stood around each warning of the gates.",
        (
            "find",
            "desk.log",
            "fare.jsonl",
            "--plan",
            "plan.yaml",
            "--appender",
            "desk",
            "--appender",
            "fare-ledger",
            "--logger",
            "ropeway.gate",
            "--level",
            "warn..",
            "--since",
            "2026-11-13 10:40",
            "--until",
            "2026-11-13 10:50",
            "--around",
            "2",
        ),
        "Both files were read back through the templates of their appenders. Marked lines are hits; a stack trace stays with its event.",
    ),
    Chapter(
        "And ride 20817, through all of it?",
        "The desk's text, the ledger's JSON, and the gates' own log, of which nobody told how it is written.",
        (
            "find",
            "desk.log",
            "fare.jsonl",
            "gate.log",
            "--plan",
            "plan.yaml",
            "--appender",
            "desk",
            "--appender",
            "fare-ledger",
            "--journey",
            "ride=20817",
            "--journey-in",
            r"ride (?P<it>\d+)",
        ),
        "The layout of gate.log was drafted from its own lines, and that is said. Four minutes passed before somebody moved the door by hand.",
    ),
    Chapter(
        "What else is wrong with this plan?",
        "Every check looks at the plan in force; the findings bear a code, the place, the reason and what to do.",
        ("check", "plan.yaml"),
        "The dead end at lib, the appender that nobody names, the files that never roll. Try it on tangled.yaml as well.",
        1,
    ),
    Chapter(
        "INC-7: what would the scanner's debug messages cost?",
        "The same week through the plan as it is, and as it would be.",
        ("whatif", "plan.yaml", "week.jsonl", "--tune", "ropeway.gate.scanner=debug"),
        "Only desk changes. The lines are shown as they will look, and the price stands in the second sentence.",
    ),
    Chapter(
        "What will debug cost where no recording has it?",
        "live.jsonl was recorded in service, at info; bench.jsonl on the workbench, where everything was on. What would the gates' "
        "debug messages add to the daybook?",
        (
            "whatif",
            "plan.yaml",
            "live.jsonl",
            "--stage",
            "live",
            "--tune",
            "ropeway.gate=debug",
            "--set",
            "appenders[daybook].floor=debug",
            "--learn",
            "bench.jsonl",
        ),
        "Every figure that holds an estimate is a range. The table says what each was learned from; the latch's rests on little.",
    ),
    Chapter(
        "How do I show it to somebody who has no tool?",
        "The manager of the ropeway asks what the drive at info would save. One file, for any browser.",
        ("page", "plan.yaml", "week.jsonl", "--tune", "ropeway.drive=info", "--out", "ropeway.html"),
        "Open ropeway.html: ask for a logger, try another level, look at who gets what. It loads nothing and sends nothing.",
    ),
    Chapter(
        "Which messages could the program write at all?",
        "The source of gates, drive and ticket office, in three languages. Where would each message go, and which never arrive?",
        ("survey", "source", "--plan", "plan.yaml", "--stage", "live", "--events", "live.jsonl"),
        "The scanner's debug messages stop at the level. No statement uses ropeway.wind: its source is not here.",
    ),
    Chapter(
        "And in the rush hour?",
        "A Saturday morning, five times as busy: a limit on the alarms, a black box, a slow table at the summit. What gives way first?",
        (
            "pressure",
            "plan.yaml",
            "rush.jsonl",
            "--scale",
            "5",
            "--appender",
            "alarms",
            "--appender",
            "blackbox",
            "--appender",
            "gust-table",
        ),
        "The table's queue drops gusts and holds the application, and the alarms' limit hides how often the shoe failed. The black "
        "box wrote debug only where an error followed.",
    ),
    Chapter(
        "The change",
        "Written into the plan, every other byte kept.",
        ("apply", "plan.yaml", "--tune", "ropeway.gate.scanner=debug", "--yes"),
        "The plan was read again and held against what was wanted.",
    ),
    Chapter(
        "Does everything arrive that must?",
        "A file of cases, checked like tests; the last of them is about INC-7.",
        ("expect", "plan.yaml", "cases.yaml"),
        "Before the change the last case failed, and named the gate and the nearest way.",
    ),
    Chapter(
        "INC-7 is closed: everything back",
        "The record beside the plan knows what was there before.",
        ("undo", "plan.yaml"),
        "The plan is as it was, byte for byte.",
    ),
    Chapter(
        "Rehearse it",
        "The whole week delivered for real, into a folder to open and look at: rolled files, mails, the console.",
        ("rehearse", "plan.yaml", "week.jsonl", "--into", "rehearsed", "--clean", "--keep-removed", "--verify"),
        "Open rehearsed/mail/alarms/0002.eml, and the files of the daybook: they are what the simulation said, byte for byte.",
    ),
    Chapter(
        "And a configuration that is no plan?",
        "The ticket kiosk was bought, and is configured in its maker's own XML. A mapping, written once, says where in it the parts of a plan stand.",
        ("adopt", "kiosk.xml", "--explain"),
        "Each part of the document beside what it became; what nothing reads would be told. --draft begins a mapping from the document's shape.",
    ),
    Chapter(
        "The kiosk's levels",
        "Every command takes the document itself; the mapping beside it is found.",
        ("levels", "kiosk.xml", "--stage", "winter"),
        "The places are the document's own lines; its words (loud, plain, whisper) are the plan's levels.",
    ),
    Chapter(
        "A change in the document itself",
        "The printer's debug messages are wanted, and a logger that has no entry yet.",
        ("apply", "kiosk.xml", "--tune", "ticket.printer=debug", "--tune", "ticket.door=info", "--dry-run"),
        "Written in the document's own words, every other byte kept; the new text was read through the mapping and means just that.",
    ),
    Chapter(
        "The same for lines of key = value",
        "The weather station on the summit has numbers for levels, and says in lines of its own what is attached.",
        ("check", "station.conf", "--fail-on", "error"),
        "Findings stand at the document's lines: a gust arrives twice in the journal, and mast 3 delivers to nobody.",
    ),
    Chapter(
        "A service that runs",
        "All this was the plan on disk. The process is another thing: here the stand-in plays the week, many times as fast, into real files.",
        (
            "mimic",
            "plan.yaml",
            "week.jsonl",
            "--into",
            "room",
            "--clean",
            "--pace",
            "4000",
            "--service",
            "room.service.yaml",
            "&",
        ),
        "It goes on in the background to the end of this tour. room.service.yaml says how to talk to it; one for your service is as long.",
        until="room.service.yaml",
    ),
    Chapter(
        "Which levels does it really have?",
        "What the process says, beside what the plan says.",
        ("live", "room.service.yaml"),
        "All as planned. Somebody's forgotten change would stand out, and vetrina would end with 1.",
    ),
    Chapter(
        "INC-7, guarded",
        "The scanner's debug messages are wanted for a few seconds, the noise of lib is not; then everything goes back, whatever happens.",
        (
            "capture",
            "room.service.yaml",
            "--tune",
            "ropeway.gate.scanner=debug",
            "--tune",
            "lib=off",
            "--into",
            "INC-7",
            "--note",
            "gate 2 sticks",
            "--for",
            "4 seconds",
        ),
        "What was there before went on record first, and a guardian process stood by. INC-7/ holds what the logs got meanwhile, byte for byte.",
    ),
    Chapter(
        "And search what was collected",
        "The sections of all logs, read back into events and merged by time.",
        ("find", "INC-7/events.jsonl", "--level", "warn..", "--last", "5"),
        "The levels are what they were; INC-7/capture.md is the report for the ticket.",
    ),
)
