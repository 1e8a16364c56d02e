"""Headings in the middle over several columns: which columns each stands over."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Sequence

    from kebrin.sources.aligned import Field

_MOST_COLUMNS = 60


def parted(parts: Sequence[Field], rooms: Sequence[tuple[float, float]]) -> tuple[float, list[tuple[int, int]]] | None:
    """The columns in consecutive groups, one for each part, whose middles differ least from those of the parts."""
    count, many = len(parts), len(rooms)
    if many < count or many > _MOST_COLUMNS:
        return None
    costs: list[dict[int, tuple[float, int]]] = [{0: (0.0, 0)}]
    for one in parts:
        middle = (one.left + one.right) / 2
        now: dict[int, tuple[float, int]] = {}
        for start, (cost, _) in costs[-1].items():
            for stop in range(start + 1, many + 1):
                off = abs((rooms[start][0] + rooms[stop - 1][1]) / 2 - middle)
                if stop not in now or cost + off < now[stop][0]:
                    now[stop] = (cost + off, start)
        costs.append(now)
    if many not in costs[-1]:
        return None
    groups: list[tuple[int, int]] = []
    stop = many
    for at in range(count, 0, -1):
        start = costs[at][stop][1]
        groups.append((start, stop - 1))
        stop = start
    return costs[-1][many][0], groups[::-1]
