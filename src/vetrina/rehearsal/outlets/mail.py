"""Mails by RFC 5322: one for each group, its subject from the first event; written as .eml, or sent by SMTP."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime
from email import message_from_bytes
from email.headerregistry import Address
from email.message import EmailMessage
from email.policy import SMTP
from pathlib import Path
from typing import Any

from vetrina.core.plan.model import Appender
from vetrina.core.templates.compiling import text_template
from vetrina.rehearsal.outlets.outlet import PlainOutlet, RehearsalSite, RenderedEvent, numbered, whole, without_breaks
from vetrina.rehearsal.sandbox import as_part


class Mail(PlainOutlet):
    """Makes one message of a group."""

    reads_events = True

    def __init__(self, appender: Appender, place: RehearsalSite) -> None:
        super().__init__(appender, place)
        subject = appender.sink.text("subject", "{level|upper} {logger}")
        self._subject = text_template(subject, appender.template.setting).compile()
        self._count = 0

    def deliver(self, time: datetime, group: list[RenderedEvent]) -> None:
        """Write or send one mail."""
        message = self.message(time, group)
        self._count += 1
        if self.place.post is not None:
            self.place.sandbox.send(1)
            self.place.post.mail(self.appender, message)
            return
        target = self.place.sandbox.own("mail", f"{as_part(self.appender.name)}/{self._count:04}.eml")
        self.place.sandbox.write(target, message.as_bytes(policy=SMTP))

    def message(self, time: datetime, group: list[RenderedEvent]) -> EmailMessage:
        """Return the message of a group; its number repeats with the rehearsal."""
        first, sink = group[0], self.appender.sink
        message = EmailMessage(policy=SMTP)
        subject = self._subject(first.event, first.number)
        message["Subject"] = _printable(subject) or "(no subject)"
        message["From"] = _address(sink.text("from"))
        message["To"] = [_address(str(one.value)) for one in _many(sink.keys.get("recipients"))]
        message["Date"] = time
        message["Message-ID"] = f"<{self._count + 1}.{_word(self.appender.name)}@rehearsal.invalid>"
        text = whole(group, "a mail").decode(self.appender.encoding, "replace")
        message.set_content(
            text.replace("\0", "\ufffd"), subtype="plain", charset="utf-8", cte="base64" if _odd(text) else None
        )
        return message

    def said(self) -> Iterator[bytes]:
        """Yield the mails' texts."""
        for path in numbered(self._kept(), "*.eml"):
            yield without_breaks(message_from_bytes(path.read_bytes(), policy=SMTP).get_content().encode())

    def count(self) -> int:
        """Return how many mails there are."""
        return sum(1 for _ in self._kept().glob("*"))

    def _kept(self) -> Path:
        return self.place.sandbox.folder / "mail" / as_part(self.appender.name)

    def taken(self, data: bytes) -> bytes:
        """Return an event's text as a mail carries it."""
        return without_breaks(data)


def _printable(text: str) -> str:
    """Return a text for a header field: on one line, without control characters."""
    return " ".join("".join(char if char.isprintable() else " " for char in text).split())


def _odd(text: str) -> bool:
    """Tell whether a text would not survive as lines: too long ones, bare carriage returns, or not ASCII."""
    return "\r" in text or not text.isascii() or any(len(line) > 900 for line in text.split("\n"))


def _many(value: Any) -> list[Any]:
    return list(value.value) if hasattr(value, "value") and isinstance(value.value, list | tuple) else list(value or [])


def _address(text: str) -> Address | str:
    """Return an address as the mail library wants it; what it does not take as one is put into its display name."""
    name, at, domain = text.rpartition("@")
    try:
        return (
            Address(username=name, domain=domain)
            if at
            else Address(display_name=_printable(text), username="nobody", domain="invalid")
        )
    except (ValueError, IndexError):
        return Address(display_name=_printable(text[:100]), username="nobody", domain="invalid")


def _word(text: str) -> str:
    return "".join(char if char.isascii() and char.isalnum() else "-" for char in text)


OUTLET = Mail
