"""What a log got between two moments: its bytes, followed through rolls of every kind, each counted once, in order.

A file is known by what the system calls it (device, inode) and by its first bytes, never by its name: rolled files are
renamed, packed, copied and emptied. What was emptied in place and stands in no copy is told as lost.
"""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from pathlib import Path
from typing import IO

from vetrina.running.copies import Section, being_packed, copied
from vetrina.running.families import Family, Seen, seen_at
from vetrina.running.pieces import Content, Piece, as_was, begun_at, more_of, noted, open_plain, rest_of

_EVERY = 1.0
_HANDLES = 64
_STEADY = 0.1
_PATIENCE = 10.0
_HOLDS_UP = 3.0
_STILL = 1.0
Takes = Callable[[str, bytes], None]


class Follower:
    """Follows one log: `begin` where it stands now, or go on from a section's state; `poll` takes what has come since.

    The bytes go to files in ``folder``, one for each piece; ``takes`` is told of all of them with the piece's part.
    """

    def __init__(self, family: Family, section: Section, folder: Path, takes: Takes = lambda _part, _data: None) -> None:
        self.family, self.section, self.folder = family, section, folder
        self._takes = takes
        self._handles: dict[str, IO[bytes]] = {}
        self._held: dict[tuple[int, int], IO[bytes]] = {}
        self._stats: dict[str, tuple[int, int]] = {}
        self._looked = 0.0
        self._waits = False
        self._old: set[tuple[int, int]] = set()
        self._waiting: dict[Seen, float] = {}
        self.changed = False

    def begin(self) -> None:
        """Note where the log stands: what is there does not belong to the section."""
        for seen in self._in_order(self.family.files()):
            if self.family.moves and seen.path == self.family.path:
                piece = begun_at(seen, self._part(), seen.size)
                piece.first = True
                self.section.pieces.append(piece)
                self._open(piece, seen)
            else:
                self.section.known.append(begun_at(seen, self._part(), seen.size))
                if not seen.packed:
                    self._hold(seen)

    def _hold(self, seen: Seen) -> None:
        """Keep a file open that was there before, of the latest ones, so that no other file gets its number."""
        with suppress(OSError):
            file = open_plain(seen.path)
            found = os.fstat(file.fileno())
            self._held[found.st_dev, found.st_ino] = file  # it may be another one by now
        while len(self._held) > _HANDLES:
            self._held.pop(next(iter(self._held))).close()

    def resume(self) -> None:
        """Go on from a state: what was written past it is taken again."""
        for piece in self.section.pieces:
            path = self.folder / piece.part
            with suppress(FileNotFoundError):
                os.truncate(path, piece.taken)
        self._looked = 0.0
        self._discover(final=False)

    def poll(self, *, final: bool = False) -> None:
        """Take what has come; ``final``: what is still in doubt is decided."""
        for _ in range(50):
            self.changed = False
            self._take_all()
            if self._has_moved() or final or time.monotonic() - self._looked > _EVERY:
                self._discover(final=final)
            if not self.changed:
                return

    def finish(self) -> None:
        """Take the rest: until nothing is on its way, such as a file that is being packed."""
        until = time.monotonic() + _PATIENCE
        while True:
            self._looked = 0.0
            self.poll()
            if not self._waits or time.monotonic() > until or self._nothing_moves():
                break
            time.sleep(_STEADY)
        self.poll(final=True)
        self.close()

    def _nothing_moves(self) -> bool:
        """Tell whether what could not be made out has stayed as it is for a while: it is not on its way."""
        waiting = [since for seen, since in self._waiting.items() if seen_at(seen.path) == seen]
        return all(time.monotonic() - since > _STILL for since in waiting)

    def close(self) -> None:
        """Close what is open."""
        for one in (*self._handles.values(), *self._held.values()):
            one.close()
        self._handles.clear()
        self._held.clear()

    def _part(self) -> str:
        self.section.parts += 1
        return f"{self.section.name}.{self.section.parts}"

    def _open(self, piece: Piece, seen: Seen) -> bool:
        """Open a piece's file where it is now."""
        try:
            file = open_plain(seen.path)
        except OSError:
            return False
        found = os.fstat(file.fileno())
        if (found.st_dev, found.st_ino) != piece.id:
            file.close()
            return False
        self._handles[piece.part] = file
        return True

    def _current(self, now: Seen) -> Piece | None:
        """Return the piece that is the open file, None where that is not known yet."""
        last = self.section.pieces[-1] if self.section.pieces else None
        return last if last is not None and not last.emptied and last.id == now.id else None

    def _has_moved(self) -> bool:
        """Tell whether another file has taken the open one's place."""
        if not self.family.moves:
            return False
        now = seen_at(self.family.path)
        return now is not None and self._current(now) is None

    def _take_all(self) -> None:
        for piece in list(self.section.pieces):
            file = self._handles.get(piece.part)
            if file is not None:
                self._take(piece, file)
        while len(self._handles) > _HANDLES:
            self._let_go(next(iter(self._handles)))

    def _let_go(self, part: str) -> None:
        """Close a file that was rolled many files ago; from now on it is known by what it is like: its number may become another one's."""
        file = self._handles.pop(part)
        found = os.fstat(file.fileno())
        file.close()
        self.section.recognised.append((found.st_dev, found.st_ino, found.st_size, found.st_mtime_ns, part))
        next(one for one in self.section.pieces if one.part == part).done = True

    def _take(self, piece: Piece, file: IO[bytes]) -> None:
        handle = file.fileno()
        found = os.fstat(handle)
        now = (found.st_size, found.st_mtime_ns)
        if self._stats.get(piece.part) == now and found.st_size == piece.at:
            return
        if not as_was(handle, piece):
            self._was_emptied(piece, file)
            return
        self._stats[piece.part] = now
        piece.gone = not found.st_nlink
        self._put(piece, more_of(handle, piece))

    def _put(self, piece: Piece, blocks: Iterator[bytes]) -> None:
        """Append bytes to a piece's part."""
        handle = -1
        try:
            for data in blocks:
                if handle < 0:
                    flags = os.O_WRONLY | os.O_CREAT | os.O_APPEND | os.O_NOFOLLOW
                    handle = os.open(self.folder / piece.part, flags, 0o600)
                view = memoryview(data)
                while view:
                    view = view[os.write(handle, view) :]
                self.changed = True
                self._takes(piece.part, data)
        finally:
            if handle >= 0:
                os.close(handle)

    def _was_emptied(self, piece: Piece, file: IO[bytes]) -> None:
        """Go on with a file from its beginning, where it is the open one; its rest is looked for in a copy."""
        del self._handles[piece.part]
        self._forsake(piece)
        self._looked = 0.0
        if piece.path != self.family.path and self.family.moves:  # a rolled file that another one was copied over
            piece.done = self.section.overwritten = True
            file.close()
            return
        again = Piece(piece.path, piece.dev, piece.ino, 0, 0, self._part())
        self.section.pieces.insert(self.section.pieces.index(piece) + 1, again)
        self._handles[again.part] = file

    def _discover(self, *, final: bool) -> None:
        """Look which files there are, and make out each that is new, the oldest first."""
        self._looked = time.monotonic()
        self._waits = False
        files = self.family.files()
        there = {one.id: one for one in files.values()}
        self._locate(there)
        known = self._old = self._grown(there)
        recognised = {(dev, ino, size, modified) for dev, ino, size, modified, _ in self.section.recognised}
        mine = {one.id for one in self.section.pieces if one.part in self._handles} | known
        new = [
            one for one in files.values()
            if one.id not in mine and one.mark not in recognised and (one.size or one.path == self.family.path)
        ]  # fmt: skip
        opened, count = self._opened(), len(self.section.pieces)
        order = {one.id: at for at, one in enumerate(self._in_order(files, new))}
        for one in sorted(new, key=lambda one: order[one.id]):
            if not self._make_out(one, there, files, final=final) and self._holds_up(one):
                break  # what is newer waits for it, so that the order stays
        self._arrange(order, files)
        if opened is not None and len(self.section.pieces) > count:
            self._note_gap(opened, there)

    def _opened(self) -> Piece | None:
        """Return the piece that was open when it was looked last, None where that is not known."""
        last = self.section.pieces[-1] if self.section.pieces else None
        return last if self.family.moves and last is not None and last.part in self._handles else None

    def _note_gap(self, opened: Piece, there: dict[tuple[int, int], Seen]) -> None:
        """Note where newer files came to light, and the one that was open is not to be seen: there may have been others in between."""
        copies = {(dev, ino) for dev, ino, _, _, part in self.section.recognised if part == opened.part}
        if opened.id in there or copies & there.keys() or not opened.at:
            return
        file = self._handles.get(opened.part)
        named = file is not None and os.fstat(file.fileno()).st_nlink > 0
        self.section.elsewhere += named
        self.section.gone += not named

    def _in_order(self, files: dict[str, Seen], new: Sequence[Seen] = ()) -> list[Seen]:
        """Return files in the order in which they were written, the open one last."""
        marks = {one.mark: one.id for one in files.values()}
        older = self._old | {one.id for one in self.section.pieces if one.part in self._handles and not one.emptied}
        older |= {
            marks[dev, ino, size, modified]
            for dev, ino, size, modified, _ in self.section.recognised
            if (dev, ino, size, modified) in marks
        }
        rolled = self.family.in_order([one for one in files.values() if not self._is_open(one)], older, {one.id for one in new})
        return [*rolled, *(one for one in files.values() if self._is_open(one))]

    def _is_open(self, seen: Seen) -> bool:
        return self.family.moves and seen.path == self.family.path

    def _holds_up(self, seen: Seen) -> bool:
        """Note that a file cannot be made out yet; tell whether newer ones wait for it: not for ever."""
        self._waits = True
        return time.monotonic() - self._waiting.setdefault(seen, time.monotonic()) < _HOLDS_UP

    def _arrange(self, order: dict[tuple[int, int], int], files: dict[str, Seen]) -> None:
        """Put the pieces in the order of their files, or of the copies of them; those that are gone stay where they are."""
        marks = {one.mark: order[one.id] for one in files.values()}
        copies = {
            part: marks[dev, ino, size, modified]
            for dev, ino, size, modified, part in self.section.recognised
            if (dev, ino, size, modified) in marks
        }
        places: dict[int, int] = {}
        for at, one in enumerate(self.section.pieces):
            known = copies.get(one.part)
            known = order.get(one.id) if known is None and one.part in self._handles else known
            if known is not None:
                places[at] = known
        pieces = list(self.section.pieces)
        for at, origin in zip(places, sorted(places, key=lambda one: places[one]), strict=True):
            self.section.pieces[at] = pieces[origin]

    def _place(self, piece: Piece, now: Seen | None) -> None:
        """Put a new piece before the open one; it is put in order when all new ones are there."""
        last = self.section.pieces[-1] if self.section.pieces else None
        before = now is not None and last is not None and last.part in self._handles and last.id == now.id
        self.section.pieces.insert(len(self.section.pieces) - before, piece)
        self.changed = True

    def _locate(self, there: dict[tuple[int, int], Seen]) -> None:
        """Find the pieces by what the system calls them; open those that are not, such as after being cut off."""
        for piece in self.section.pieces:
            if piece.part in self._handles:
                piece.path = there[piece.id].path if piece.id in there else piece.path
            elif not (piece.emptied or piece.done):
                self._find(piece, there.get(piece.id))

    def _find(self, piece: Piece, seen: Seen | None) -> None:
        """Open a piece's file again; where it is gone, its rest is in a copy, unless all of it was taken."""
        if piece.gone:
            piece.done = True
        elif seen is not None and self._open(piece, seen):
            self.changed = True
            piece.path = seen.path
            if not as_was(self._handles[piece.part].fileno(), piece):  # another file has got its number, or it was emptied
                self._handles.pop(piece.part).close()
                self._forsake(piece)
        elif seen is None:
            self._forsake(piece)

    def _forsake(self, piece: Piece) -> None:
        """Look for what a piece still had in copies, also in those that are known."""
        piece.emptied = self.changed = True
        piece.done = not piece.at  # nothing was known of it: its copy is a file like any other
        self.section.recognised = [one for one in self.section.recognised if one[-1] != piece.part]

    def _grown(self, there: dict[tuple[int, int], Seen]) -> set[tuple[int, int]]:
        """Return which of the files that were there before are there, as they were; one that has grown becomes a piece."""
        still = set()
        for piece in list(self.section.known):
            seen = there.get(piece.id)
            if seen is None:
                continue
            if seen.size == piece.at and seen.packed:
                still.add(piece.id)
                continue
            try:
                with open_plain(seen.path) as file:
                    same = (os.fstat(file.fileno()).st_dev, os.fstat(file.fileno()).st_ino) == piece.id and as_was(
                        file.fileno(), piece
                    )
            except OSError:
                continue
            if not same:
                self.section.overwritten |= piece.id in self._held
                continue
            still.add(piece.id)
            piece.path = seen.path
            if seen.size > piece.at and not seen.packed:
                self._promote(piece)
                self._open(piece, seen)
        return still

    def _promote(self, piece: Piece) -> None:
        """Let a file that was there before, and got more, be a part of the section."""
        self.section.known.remove(piece)
        self.section.pieces.insert(0, piece)  # until it is put in order
        self.changed = True

    def _make_out(self, seen: Seen, there: dict[tuple[int, int], Seen], files: dict[str, Seen], *, final: bool) -> bool:
        """Make out what a file that is new has to do with those that are known; tell whether that can be told yet."""
        self._take_all()
        with Content(seen) as content:
            return self._made_out(seen, content, there, files, final=final)

    def _made_out(
        self, seen: Seen, content: Content, there: dict[tuple[int, int], Seen], files: dict[str, Seen], *, final: bool
    ) -> bool:
        if seen.packed and not content.is_whole():
            return False
        if not self._is_open(seen):
            target, sure = copied(self.section, content, there, self._old, self._handles)
            if not content.whole or (target is not None and not sure and not final):
                return False
            if target is not None and sure:
                self._is_copy(target, content)
                return True
            if target is not None and target.emptied and not target.done:
                return True  # a copy that was broken off
            if seen.packed and not final and being_packed(self.section, seen, content, files):
                return False
        piece = Piece(seen.path, seen.dev, seen.ino, 0, 0, self._part())
        if not seen.packed and not self._open(piece, seen):
            return False
        self._place(piece, files.get(self.family.path))
        if seen.packed:
            self._put(piece, noted(piece, content.blocks()))
            piece.done = True
            self.section.recognised.append((*content.mark, piece.part))
        return True

    def _is_copy(self, piece: Piece, content: Content) -> None:
        """Take from a copy what of a file could not be read any more."""
        self.section.recognised.append((*content.mark, piece.part))
        self.changed = True
        if piece in self.section.known:
            if content.compared(piece).length == piece.at:
                return
            self._promote(piece)
        elif piece.done or (piece.part in self._handles and not piece.emptied):
            return
        self._put(piece, rest_of(piece, content))
        piece.done = True
        file = self._handles.pop(piece.part, None)
        if file is not None:
            file.close()
