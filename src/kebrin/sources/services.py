"""Lists behind HTTP: JSON or delimited text, followed from page to page until the service says that it is all, or a limit.

Pages are followed by `Link` headers with rel="next" (RFC 8288), or by a member that holds the address of the next page. What
came is held against what the service says there is.
"""

from __future__ import annotations

import csv
import io
import json
import time
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any
from urllib.parse import urljoin, urlsplit

from kebrin.errors import Place, PlanError, SourceError
from kebrin.sources.nested import TwiceError, members, real

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    import httpx

#: So often a request is made before it is given up, and so long at first, in seconds, the next try waits; then twice as long.
TRIES, FIRST_WAIT, LONGEST_WAIT = 4, 0.5, 30.0
#: So many bytes are taken in all.
MOST_BYTES = 1 << 30
_REQUEST_SECONDS = 30.0
_PASSING = frozenset({408, 425, 429, 500, 502, 503, 504})
_FOUND_NEXT = ("next", "links.next", "paging.next", "page.next")
_COUNTS = ("count", "total", "total_count", "totalCount", "totalResults", "total_results")
_COUNT_HEADER = "x-total-count"
# Lengths of which services make their pages.
_CEILINGS = frozenset({10, 20, 25, 30, 40, 50, 100, 200, 250, 500, 1_000, 2_000, 2_500, 5_000, 10_000, 50_000, 100_000})


@dataclass(frozen=True)
class Service:
    """What is asked of a service.

    Attributes:
        url: the address of the list's first page.
        records: the path of the list within a page; found where a page holds one list only.
        follow: the path of the member that holds the next page's address; found where it is called `next`.
        headers: headers of each request.
        pages: so many pages are taken at most.
        seconds: so long it may take in all.
    """

    url: str
    records: str = ""
    follow: str = ""
    headers: Mapping[str, str] = field(default_factory=dict)
    pages: int = 1_000
    seconds: float = 300.0


@dataclass
class Listed:
    """What a service gave.

    Attributes:
        kind: 'json' or 'csv'.
        records: the records; of delimited text the rows, the first one's headings in front.
        sizes: how many came on each page.
        stated: how many there are, as the service says; None where it does not.
    """

    kind: str = ""
    records: list[Any] = field(default_factory=list)
    sizes: list[int] = field(default_factory=list)
    stated: int | None = None

    @property
    def lacks(self) -> tuple[str, ...]:
        """Where what came is not what the service says there is."""
        came = sum(self.sizes)
        return () if self.stated in {None, came} else (f"the service says {self.stated:,} records, and {came:,} came",)

    @property
    def asks(self) -> tuple[str, ...]:
        """Where the list may go on behind a limit that the service does not speak of."""
        last = self.sizes[-1]
        if self.stated is not None or last not in _CEILINGS or any(size != last for size in self.sizes):
            return ()
        pages = "" if len(self.sizes) == 1 else f" on each of {len(self.sizes)} pages"
        return (
            f"exactly {last:,} records came{pages}, and no word of how many there are: the list may be cut at a limit",
        )


def listed(service: Service, *, sleep: Callable[[float], None] = time.sleep) -> Listed:
    """All records of a list, page by page.

    Raises:
        SourceError: the service can't be reached, refuses, gives something else than a list, or gives one page for ever.
        PlanError: the address is none, or httpx is not installed.
    """
    _refuse_address(service.url)
    try:
        import httpx
    except ModuleNotFoundError:
        raise PlanError(
            "a list behind an address needs httpx, which is not installed", do="Install kebrin[http]"
        ) from None
    found = Listed()
    ends = time.monotonic() + service.seconds
    left = MOST_BYTES
    url, seen = service.url, {service.url}

    def stay(response: httpx.Response) -> None:
        """Headers may be secrets: they go to the host that they were stated for, and to no other."""
        if response.has_redirect_location:
            _refuse_leaving(urljoin(str(response.url), response.headers["location"]), service)

    hooks = {"response": [stay]}
    with httpx.Client(
        headers=dict(service.headers), follow_redirects=True, max_redirects=5, event_hooks=hooks
    ) as client:
        while True:
            answer = _Asking(client, Place(service.url), ends, sleep).page(url, left)
            left -= len(answer.body)
            following = _taken(answer, found, service)
            if _is_said_again(found):
                raise _for_ever(service, len(found.sizes) - 1)
            if not following:
                return found
            url = urljoin(url, following)
            _refuse_elsewhere(url, service)
            if url in seen:
                raise _for_ever(service, len(found.sizes))
            seen.add(url)
            if len(found.sizes) >= service.pages:
                raise SourceError(
                    "the list has more pages than are taken", Place(service.url), why=f"{service.pages:,} are the limit, and "
                    "there is a next one", do="State a higher limit of pages, or ask for less",
                )  # fmt: skip


def _is_said_again(found: Listed) -> bool:
    """Whether the last page has the records of the one before it."""
    if len(found.sizes) < 2 or found.sizes[-1] != found.sizes[-2]:
        return False
    size, end = found.sizes[-1], len(found.records)
    return found.records[end - size :] == found.records[end - 2 * size : end - size]


def _refuse_address(url: str) -> None:
    parts = urlsplit(url)
    if parts.scheme not in {"http", "https"} or not parts.netloc:
        raise PlanError("this is no address of a list", Place(url), do="Name one that begins with http:// or https://")


def _refuse_elsewhere(url: str, service: Service) -> None:
    if urlsplit(url)[:2] != urlsplit(service.url)[:2]:
        raise SourceError(
            "the next page is said to be elsewhere", Place(service.url), why=f"at {urlsplit(url).netloc or url!r}, and only the "
            "service that is named is asked", do="Ask who runs the service, or name the other address",
        )  # fmt: skip


def _refuse_leaving(url: str, service: Service) -> None:
    """Refuse to be sent to another host, or to the same one without its lock."""
    there, here = urlsplit(url), urlsplit(service.url)
    if there.netloc == here.netloc and there.scheme in {here.scheme, "https"}:
        return
    raise SourceError(
        "the service sends elsewhere", Place(service.url),
        why=f"to {there.scheme}://{there.netloc}, and what is sent along is for the service that is named",
        do="Ask who runs the service, or name the other address",
    )  # fmt: skip


def _for_ever(service: Service, pages: int) -> SourceError:
    return SourceError(
        "the service gives the same page again", Place(service.url), why=f"page {pages + 1} is one that came before",
        do="Ask who runs the service; nothing was written",
    )  # fmt: skip


@dataclass(frozen=True)
class _Answer:
    """One page: its bytes, its kind and encoding as stated, the next page by its header, and the count that a header states."""

    body: bytes
    media: str
    charset: str
    link: str
    count: str


@dataclass(frozen=True)
class _Asking:
    """Requests with tries that wait longer each time, within the time that there is."""

    client: httpx.Client
    where: Place
    ends: float
    sleep: Callable[[float], None]

    def page(self, url: str, most: int) -> _Answer:
        """One page."""
        wait, why = FIRST_WAIT, ""
        for attempt in range(TRIES):
            if attempt:
                self.sleep(min(wait, max(self.ends - time.monotonic(), 0.0)))
                wait *= 2
            answer, why, asked = self._once(url, most)
            if answer is not None:
                return answer
            wait = max(wait, min(asked, LONGEST_WAIT))
            if time.monotonic() >= self.ends:
                why = f"{why}; the time is over"
                break
        raise SourceError(
            "the service gives no answer", self.where, why=f"{why}, tried {attempt + 1} times",
            do="Try again later; what was fetched before still stands",
        )  # fmt: skip

    def _once(self, url: str, most: int) -> tuple[_Answer | None, str, float]:
        """A page; or why there is none yet, and how long the service asks to wait."""
        import httpx

        left = self.ends - time.monotonic()
        if left <= 0:
            return None, "it took too long", 0.0
        try:
            with self.client.stream("GET", url, timeout=min(_REQUEST_SECONDS, left)) as response:
                if response.status_code in _PASSING:
                    return None, f"it answers {response.status_code}", _seconds(response.headers.get("retry-after", ""))
                self._refuse_status(response)
                body = self._body(response, most)
        except (httpx.TimeoutException, httpx.TransportError) as error:
            return None, str(error) or type(error).__name__, 0.0
        except (httpx.HTTPError, httpx.InvalidURL) as error:
            raise SourceError(
                "the service can't be asked", self.where, why=str(error), do="Check the address"
            ) from error
        media = response.headers.get("content-type", "").partition(";")[0].strip().lower()
        link = response.links.get("next", {}).get("url", "")
        return (
            _Answer(body, media, response.charset_encoding or "", link, response.headers.get(_COUNT_HEADER, "")),
            "",
            0.0,
        )

    def _body(self, response: httpx.Response, most: int) -> bytes:
        body = bytearray()
        for part in response.iter_bytes():
            body += part
            if len(body) > most:
                raise SourceError(
                    "the list is too large",
                    self.where,
                    why=f"more than {MOST_BYTES:,} bytes came",
                    do="Ask for a part of it",
                )
            if time.monotonic() > self.ends:
                raise SourceError(
                    "the list takes too long", self.where, why="it was still coming when the time was over",
                    do="State more seconds, or ask for a part of it",
                )  # fmt: skip
        return bytes(body)

    def _refuse_status(self, response: httpx.Response) -> None:
        code = response.status_code
        if code in {401, 403}:
            raise SourceError(
                "the service does not let us in", self.where, why=f"it answers {code}",
                do="State a header that says who asks, its value from the environment: Authorization=env:NAME",
            )  # fmt: skip
        if code >= 300:
            raise SourceError(
                "the service has no such list", self.where, why=f"it answers {code}", do="Check the address"
            )


def _seconds(said: str) -> float:
    return float(said) if said.isdigit() else 0.0


def _taken(answer: _Answer, found: Listed, service: Service) -> str:
    """Add a page's records to what was found; the address of the next page, '' if it was the last."""
    where = Place(service.url)
    text = _decoded(answer, where)
    if "html" in answer.media or text.lstrip()[:1] == "<":
        raise SourceError(
            "the service gives a page for people, and no list", where, why=f"it says it is {answer.media or 'HTML'}",
            do="Ask for the address of the list itself; perhaps it wants to know who asks",
        )  # fmt: skip
    delimited = "csv" in answer.media or not text.lstrip().startswith(("[", "{"))
    kind = "csv" if delimited else "json"
    if found.kind and found.kind != kind:
        raise SourceError(
            "the pages are of two kinds", where, why=f"{found.kind}, then {kind}", do="Ask who runs the service"
        )
    found.kind = kind
    stated: Any = answer.count
    following = answer.link
    if delimited:
        rows = [row for row in csv.reader(io.StringIO(text, newline="")) if row]
        if found.records and rows[:1] != found.records[:1]:
            raise SourceError(
                "the pages have other headings", where, why=f"page {len(found.sizes) + 1} has", do="Ask why"
            )
        found.sizes.append(max(len(rows) - 1, 0))
        found.records += rows[1:] if found.records else rows
    else:
        page = _page(text, where, len(found.sizes) + 1)
        records = _records_of(page, service, where)
        found.sizes.append(len(records))
        found.records += records
        following = _following(page, service) or following
        stated = next((page[name] for name in _COUNTS if isinstance(page, dict) and _is_count(page.get(name))), stated)
    if found.stated is None and str(stated).isdigit():
        found.stated = int(stated)
    return following


def _decoded(answer: _Answer, where: Place) -> str:
    """A page's text in the encoding that the service states, UTF-8 by default; letters that it does not have are no guess."""
    try:
        plain = answer.charset.lower().replace("-", "") in {"", "utf8"}
        return answer.body.decode("utf-8-sig" if plain else answer.charset)
    except (UnicodeDecodeError, LookupError) as error:
        raise SourceError(
            "a page of the list can't be read as text",
            where,
            why=str(error),
            do="Ask who runs the service for its encoding",
        ) from error


def _is_count(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool)


def _page(text: str, where: Place, number: int) -> Any:
    try:
        return json.loads(text, object_pairs_hook=members, parse_float=real, parse_constant=str)
    except TwiceError as error:
        raise SourceError(
            f"{error} is named twice in one record", where, why=f"page {number}: one of the two would be lost",
            do="Ask who runs the service",
        ) from None  # fmt: skip
    except (json.JSONDecodeError, RecursionError) as error:
        raise SourceError(
            "a page of the list is cut or no JSON", where, why=f"page {number}: {error}", do="Try again"
        ) from error


def _at(page: Any, path: str) -> Any:
    for name in path.split("."):
        page = page.get(name) if isinstance(page, dict) else None
    return page


def _records_of(page: Any, service: Service, where: Place) -> list[Any]:
    """The records of a page: where it was stated, or in the only list that there is."""
    if service.records:
        found = _at(page, service.records)
        if not isinstance(found, list):
            raise SourceError("a page has no list there", where, why=f"at {service.records!r}", do="Correct records")
        return found
    if isinstance(page, list):
        return page
    lists = {path: one for path, one in _paths(page) if isinstance(one, list)}
    if len(lists) != 1:
        why = f"there are lists at {', '.join(lists)}" if lists else f"it has {', '.join(list(page)[:6])}"
        raise SourceError(
            "a page holds no list, or several", where, why=why, do="State records, the path of the one that is meant"
        )
    return next(iter(lists.values()))


def _paths(page: dict[str, Any], prefix: str = "") -> list[tuple[str, Any]]:
    found: list[tuple[str, Any]] = []
    for name, one in page.items():
        path = f"{prefix}{name}"
        found += _paths(one, f"{path}.") if isinstance(one, dict) else [(path, one)]
    return found


def _following(page: Any, service: Service) -> str:
    for path in (service.follow,) if service.follow else _FOUND_NEXT:
        found = _at(page, path)
        if isinstance(found, str) and found:
            return found
    return ""
