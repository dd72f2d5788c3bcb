"""Looking at this machine for `check --probe`: folders, disks, ignored files, receivers. Nothing is written, nothing is sent."""

from __future__ import annotations

import os
import shutil
import socket
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from vetrina.core.checks.context import HostFacts, PathFacts
from vetrina.core.plan.model import Appender, Plan
from vetrina.core.sink_kinds.kind import full_path
from vetrina.rehearsal.ignore_rules import IgnoreRules

_PATIENCE = 2.0
_AT_ONCE = 32


def probe_paths(plan: Plan) -> dict[str, PathFacts]:
    """Return what this machine says of the folders of file and table sinks, by appender."""
    rules = IgnoreRules()
    return {one.name: _path_facts(_file_of(one, plan), rules) for one in plan.appenders.values() if one.sink.traits.file_key}


def _file_of(appender: Appender, plan: Plan) -> Path:
    place = full_path(appender.sink.file, plan.folder)
    return Path(place.split("{", 1)[0] if "{" in place else place)


def _path_facts(file: Path, rules: IgnoreRules) -> PathFacts:
    folder = file.parent if not str(file).endswith("/") else file
    exists = os.path.lexists(folder)
    is_folder = folder.is_dir()
    nearest = folder
    while not nearest.is_dir() and nearest != nearest.parent:
        nearest = nearest.parent
    usage = shutil.disk_usage(nearest)
    writable = is_folder and os.access(folder, os.W_OK | os.X_OK)
    return PathFacts(str(folder), exists, is_folder, writable, usage.free, usage.total, rules.ignored(file))


def probe_hosts(plan: Plan) -> dict[str, HostFacts]:
    """Return what the network says of the receivers of mail, syslog and http sinks, by appender."""
    asked = [one for one in plan.appenders.values() if one.sink.address is not None]
    with ThreadPoolExecutor(_AT_ONCE) as pool:  # each may have to wait for an answer
        return dict(zip((one.name for one in asked), pool.map(_host_facts, asked), strict=True))


def _host_facts(appender: Appender) -> HostFacts:
    host, port = appender.sink.address or ("", 0)
    datagrams = appender.sink.receiver == "udp"
    try:
        addresses = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except (OSError, UnicodeError):
        return HostFacts(host, port, known=False, open=False, asked_port=False)
    if datagrams:
        return HostFacts(host, port, known=True, open=False, asked_port=False)
    return HostFacts(host, port, known=True, open=any(_listens(one[4]) for one in addresses[:3]), asked_port=True)


def _listens(address: tuple[object, ...]) -> bool:
    try:
        with socket.create_connection((str(address[0]), int(str(address[1]))), timeout=_PATIENCE):
            return True
    except OSError:
        return False
