"""Requests over HTTP: one whole answer within its time, no redirect, no proxy on loopback."""

from __future__ import annotations

import asyncio
import ipaddress
import ssl
from pathlib import Path
from typing import Any
from urllib.parse import unquote, urlsplit

import httpx
from msgspec import UNSET

from vetrina.core.base.faults import refuse
from vetrina.core.services.filling import Request
from vetrina.core.services.service import Http, plain_address
from vetrina.running.talking import MOST, Answer, NoAnswer


class Web:
    """Sends requests below one base; ``close`` ends it."""

    def __init__(self, http: Http, folder: Path) -> None:
        self._http, self._folder = http, folder
        parts = urlsplit(http.base)
        self._base = f"{parts.scheme}://{parts.netloc.rpartition('@')[2]}{parts.path.rstrip('/')}"
        user = (unquote(parts.username or ""), unquote(parts.password or ""))
        self._auth = httpx.BasicAuth(*user) if any(user) else None
        self.shown = plain_address(http.base)
        self._runner = asyncio.Runner()
        self._client: httpx.AsyncClient | None = None

    def send(self, request: Request, seconds: float) -> Answer:
        """Return the answer to a request, whatever its status; raise NoAnswer where there is none within so many seconds."""
        return self._runner.run(self._send(request, seconds))

    def close(self) -> None:
        """End what is open."""
        client, self._client = self._client, None
        if client is not None:
            self._runner.run(client.aclose())
        self._runner.close()

    async def _send(self, request: Request, seconds: float) -> Answer:
        try:
            async with asyncio.timeout(seconds):
                return await self._answer(request)
        except TimeoutError:
            raise NoAnswer(f"it has not answered within {seconds:g} seconds") from None
        except httpx.ConnectError as error:
            raise NoAnswer(_why(error)) from None
        except httpx.HTTPError as error:
            raise NoAnswer(_why(error)) from None
        except (httpx.InvalidURL, ValueError):
            raise NoAnswer("the request cannot be sent: its URL or its headers are none") from None

    async def _answer(self, request: Request) -> Answer:
        client = self._client = self._client or self._made()
        given: dict[str, Any] = {}
        if request.json is not UNSET:
            given["json"] = request.json
        elif request.form is not None:
            given["data"] = dict(request.form)
        elif request.text is not None:
            given["content"] = request.text.encode()
            given["headers"] = {"Content-Type": "text/plain; charset=utf-8"}
        headers = {**given.pop("headers", {}), **self._http.headers, **request.headers, "Accept-Encoding": "identity"}
        async with client.stream(request.method, self._base + request.target, headers=headers, **given) as answer:
            if answer.headers.get("Content-Encoding", "identity").lower() not in {"identity", ""}:
                raise NoAnswer("its answer is packed, which was not asked for", answer.status_code)
            found = bytearray()
            async for piece in answer.aiter_raw():
                found += piece
                if len(found) > MOST:
                    raise NoAnswer(f"its answer is longer than {MOST >> 20} MiB", answer.status_code)
            return Answer(bytes(found), answer.status_code)

    def _made(self) -> httpx.AsyncClient:
        return httpx.AsyncClient(
            verify=self._trusted(),
            auth=self._auth,
            trust_env=not _on_loopback(urlsplit(self._base).hostname or ""),
            follow_redirects=False,
            timeout=None,  # noqa: S113  (the whole answer has its time)
            limits=httpx.Limits(max_keepalive_connections=0),
            headers={"User-Agent": "vetrina", "Accept": "*/*"},
        )

    def _trusted(self) -> ssl.SSLContext | bool:
        if not self._base.startswith("https"):
            return True
        if self._http.ca is None:
            return True
        path = self._folder / self._http.ca
        try:
            return ssl.create_default_context(cafile=str(path))
        except (OSError, ssl.SSLError) as error:
            raise refuse(
                f"the certificates under ca cannot be read: {getattr(error, 'strerror', None) or error}",
                fix="name a file of certificates in PEM",
                where=str(path),
            ) from None


def _on_loopback(host: str) -> bool:
    if host.lower() == "localhost":
        return True
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return False


def _why(error: httpx.HTTPError) -> str:
    """Return why there is no answer, from the system's own words; those of the library may hold what is sent."""
    cause: BaseException | None = error
    while cause is not None:
        if isinstance(cause, ssl.SSLCertVerificationError):
            return f"its certificate is not trusted: {cause.verify_message}"
        if isinstance(cause, ssl.SSLError):
            return "it does not speak TLS as was asked, or speaks it where that was not asked"
        if isinstance(cause, OSError) and cause.errno and type(cause) is not OSError:
            return (
                "nothing listens there" if isinstance(cause, ConnectionRefusedError) else cause.strerror or type(cause).__name__
            )
        cause = cause.__cause__ or cause.__context__
    text = str(error)
    if "certificate" in text.lower():
        return "its certificate is not trusted"
    if "WRONG_VERSION_NUMBER" in text or "SSL" in text:
        return "it does not speak TLS as was asked"
    known = {
        httpx.ConnectError: "it cannot be reached: nothing listens there, or the host is not known",
        httpx.ReadError: "the connection was broken off in the answer",
        httpx.RemoteProtocolError: "it closes without an answer, or does not speak HTTP",
        httpx.DecodingError: "its answer cannot be unpacked",
        httpx.UnsupportedProtocol: "the base is no URL of http or https",
        httpx.ProxyError: "the proxy does not let it through",
        httpx.LocalProtocolError: "a header or the path cannot be sent",
    }
    return next(
        (words for kind, words in known.items() if isinstance(error, kind)), f"there is no answer ({type(error).__name__})"
    )
