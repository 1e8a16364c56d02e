"""A stand-in for a harbour's list of calls: a small service on this machine that gives made-up records, page by page.

    python -m kebrin.demo.service [PORT]

It also knows what services do wrong: `/ceiling` stops at a limit in silence, `/short` gives less than it states, `/again` gives
one page for ever, `/page` answers with a page for people, `/broken` with 500, and `/busy` with 429 at first.
"""

from __future__ import annotations

import json
import sys
from contextlib import contextmanager, suppress
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from threading import Event, Thread
from typing import TYPE_CHECKING, Any
from urllib.parse import parse_qs, urlsplit

if TYPE_CHECKING:
    from collections.abc import Iterator

#: So many calls there are, and so many on a page.
CALLS, PAGE = 120, 50
_HARBOURS = (("Skarrow", "SK"), ("Hallan", "HA"), ("Ness", "NE"), ("Brae", "BR"))
_VESSELS = ("Gull", "Tern", "Skua", "Auk", "Eider")


def calls() -> list[dict[str, Any]]:
    """All calls, the same each time.

    >>> calls()[0]
    {'id': 'C001', 'day': '2031-04-01', 'harbour': {'name': 'Skarrow', 'code': 'SK'}, 'vessel': 'Gull', 'dues': 40.0, 'cars': 3}
    """
    found = []
    for at in range(CALLS):
        name, code = _HARBOURS[at * 7 % 4]
        found.append({
            "id": f"C{at + 1:03}", "day": f"2031-04-{at // 4 + 1:02}", "harbour": {"name": name, "code": code},
            "vessel": _VESSELS[at * 3 % 5], "dues": 40 + at * 37 % 160 / 4, "cars": 3 + at * 11 % 29,
        })  # fmt: skip
    return found


class _Answers(BaseHTTPRequestHandler):
    """What the service says to each address."""

    busy = 0

    def do_GET(self) -> None:
        """Answer a request."""
        asked = urlsplit(self.path)
        number = int(parse_qs(asked.query).get("page", ["1"])[0])
        rows = calls()[(number - 1) * PAGE : number * PAGE]
        more = number * PAGE < CALLS
        after = f"{asked.path}?page={number + 1}" if more else None
        lists: dict[str, dict[str, Any]] = {
            "/calls": {"count": CALLS, "next": after, "calls": rows},
            "/short": {"count": CALLS + 7, "next": after, "calls": rows},
            "/ceiling": {"calls": calls()[:100]},
            "/again": {"next": "/again?page=1", "calls": calls()[:PAGE]},
            "/turning": {"next": f"/turning?page={number + 1}", "calls": calls()[:PAGE]},
            "/elsewhere": {"next": "http://192.0.2.1/calls", "calls": calls()[:PAGE]},
        }
        plain: dict[str, tuple[bytes, str, int]] = {
            "/page": (b"<!doctype html><p>Please log in", "text/html", 200),
            "/cut": (b'{"calls": [{"id": "C001", "da', "application/json", 200),
            "/broken": (b"", "text/plain", 500),
        }
        if asked.path in lists:
            self._say(lists[asked.path])
        elif asked.path == "/linked":
            self._say(rows, link=after, count=CALLS)
        elif asked.path == "/calls.csv":
            self._lines(rows, after)
        elif asked.path == "/private" and self.headers.get("Authorization") == "Bearer made-up":
            self._say({"calls": rows[:3]})
        elif asked.path == "/busy" and not self._is_busy():
            self._say({"count": CALLS, "next": None, "calls": calls()})
        else:
            codes = {"/private": 401, "/busy": 429}
            self._send(*plain.get(asked.path, (b"", "text/plain", codes.get(asked.path, 404))))

    def _is_busy(self) -> bool:
        """Whether it is one of the first two of each three requests."""
        type(self).busy += 1
        return bool(self.busy % 3)

    def _say(self, value: Any, *, link: str | None = None, count: int | None = None) -> None:
        headers = {} if count is None else {"X-Total-Count": str(count)}
        headers |= {"Link": f'<{link}>; rel="next"'} if link else {}
        self._send(json.dumps(value).encode(), "application/json", headers=headers)

    def _lines(self, rows: list[dict[str, Any]], after: str | None) -> None:
        lines = ["id,day,harbour,vessel,dues,cars"]
        lines += [
            f"{row['id']},{row['day']},{row['harbour']['name']},{row['vessel']},{row['dues']},{row['cars']}"
            for row in rows
        ]
        headers = {"Link": f'<{after}>; rel="next"'} if after else {}
        self._send("\n".join([*lines, ""]).encode(), "text/csv", headers=headers)

    def _send(self, body: bytes, kind: str, code: int = 200, headers: dict[str, str] | None = None) -> None:
        self.send_response(code)
        for name, value in {"Content-Type": kind, "Content-Length": str(len(body)), **(headers or {})}.items():
            self.send_header(name, value)
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, format: str, *args: Any) -> None:  # noqa: A002 - the standard library's name
        """Say nothing: whoever started it is told where it is."""


@contextmanager
def serving(port: int = 0) -> Iterator[str]:
    """The service on this machine alone, at an address that is free; it ends with the block.

    >>> with serving() as address:
    ...     address.startswith("http://127.0.0.1:")
    True
    """
    server = ThreadingHTTPServer(("127.0.0.1", port), _Answers)
    thread = Thread(target=server.serve_forever, daemon=True)
    thread.start()
    try:
        yield f"http://127.0.0.1:{server.server_address[1]}"
    finally:
        server.shutdown()
        server.server_close()
        thread.join()


if __name__ == "__main__":
    with serving(int(sys.argv[1]) if len(sys.argv) > 1 else 8031) as address:
        print(f"Calls at {address}/calls; Ctrl-C ends it", flush=True)  # noqa: T201 - a command of its own
        with suppress(KeyboardInterrupt):
            Event().wait()
