"""Every `--json` document by its name: what `vetrina schema output` describes."""

from __future__ import annotations

from typing import Any

from vetrina.views.documents.adopt import Adopt
from vetrina.views.documents.capture import Capture
from vetrina.views.documents.changes import Apply, Undo, UndoList
from vetrina.views.documents.check import CheckList, CheckPage, CheckResult
from vetrina.views.documents.compare import Compare
from vetrina.views.documents.drafts import ReadDraft
from vetrina.views.documents.expect import Expect
from vetrina.views.documents.find import FindBlocks, FindCounts, FindFolded, FindJourneys, FindWhere, FoundEvent
from vetrina.views.documents.levels import Levels
from vetrina.views.documents.live import Live, LiveChange, LivePutBack, LiveRecord
from vetrina.views.documents.mimic import Mimic
from vetrina.views.documents.origin import Origin, OriginUnused
from vetrina.views.documents.page import Page
from vetrina.views.documents.pressure import Pressure
from vetrina.views.documents.preview import Preview
from vetrina.views.documents.read import ReadSummary
from vetrina.views.documents.rehearse import Receive, Rehearse
from vetrina.views.documents.resolve import Resolve
from vetrina.views.documents.rolling import RollingFiles, RollingNames
from vetrina.views.documents.routes import Routes, RoutesEach, RoutesGrouped
from vetrina.views.documents.survey import SurveyedStatement, UnexplainedEvents, UnspokenLogger
from vetrina.views.documents.whatif import WhatIf
from vetrina.views.documents.why import Why

OUTPUTS: dict[str, Any] = {
    "levels": Levels,
    "resolve": Resolve,
    "origin": Origin,
    "origin-unused": OriginUnused,
    "routes": Routes,
    "routes-each": RoutesEach,
    "routes-grouped": RoutesGrouped,
    "why": Why,
    "check": CheckResult,
    "check-list": CheckList,
    "check-explain": CheckPage,
    "preview": Preview,
    "read": ReadSummary,
    "read-draft": ReadDraft,
    "find": FoundEvent,
    "find-where": FindWhere,
    "find-counts": FindCounts,
    "find-journeys": FindJourneys,
    "find-blocks": FindBlocks,
    "find-folded": FindFolded,
    "rolling": RollingFiles,
    "rolling-names": RollingNames,
    "pressure": Pressure,
    "whatif": WhatIf,
    "page": Page,
    "compare": Compare,
    "survey": SurveyedStatement,
    "survey-unspoken": UnspokenLogger,
    "survey-unexplained": UnexplainedEvents,
    "apply": Apply,
    "undo": Undo,
    "undo-list": UndoList,
    "live": Live,
    "live-tune": LiveChange,
    "live-put-back": LivePutBack,
    "live-record": LiveRecord,
    "capture": Capture,
    "mimic": Mimic,
    "adopt": Adopt,
    "expect": Expect,
    "rehearse": Rehearse,
    "receive": Receive,
}
