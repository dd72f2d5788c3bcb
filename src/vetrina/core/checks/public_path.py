"""public-path: a log inside a folder that is usually served to the public.

Any segment of the path being one of: www, wwwroot, htdocs, public_html, public, webroot, webapps, static, html.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /var/www/logs/a.log}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /var/log/a.log}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit

SERVED = {"www", "wwwroot", "htdocs", "public_html", "public", "webroot", "webapps", "static", "html"}


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find files and databases below a served folder."""
    for appender in scene.appenders(lambda sink: bool(sink.file_key)):
        served = [part for part in appender.sink.place.lower().split("/") if part in SERVED]
        if served:
            yield Hit(
                appender.origin,
                f"appender {appender.name}",
                f"{appender.sink.label} lies below {served[0]}/, which is usually served to the public",
                "anybody may read it with a browser",
                "write to a folder that no server shows",
            )


CHECK = Check("public-path", "error", "a log inside a folder that is usually served to the public", find)
