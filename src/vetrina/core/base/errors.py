"""The one base of all errors that Vetrina raises by itself."""

from __future__ import annotations


class VetrinaError(Exception):
    """Something of the user's, or of the world, is not as it has to be.

    Only `Refused` (faults.py) leaves a call: it holds every fault with its place, reason and remedy. The others say why a
    part is not what it should be, and whoever knows the place makes faults of them:

    - `NotUnderstood` here: a text that is no size, duration, range, path or stream;
    - `BadExpression` (expressions.py), `InvalidValue` (kinds.py), `BadTemplate` (language.py): values of a plan;
    - `Collision`, `Misfit` (templates): a template that cannot be read backwards, a text that it cannot have written;
    - `Contradiction` (counterexamples.py): answers that no message gives;
    - `Undelivered`, `DiskFull`, `LimitReached` (rehearsal): a delivery that fails, a rehearsal that has to stop;
    - `BrokenOff` (standin), `TooMany` (json_documents.py): what came in and was not whole, or too much.
    """


class NotUnderstood(VetrinaError, ValueError):
    """Why a text does not mean what is wanted; the message is a clause for people."""
