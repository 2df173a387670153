"""A page's content as few bytes, and a document's pages that are unpacked one by one."""

from __future__ import annotations

import zlib
from collections import OrderedDict
from collections.abc import Callable, Sequence
from threading import Lock
from typing import overload

from hyalen.core.model.content import PageContent

KEPT, KEPT_WHOLE = 4, 24


# The last that were unpacked or kept, by the bytes themselves: whatever a transaction that is given up has written, they
# say what they say.
_whole: OrderedDict[bytes, PageContent] = OrderedDict()
_lock = Lock()


def packed(content: PageContent, keep: bool = False) -> bytes:
    """The content as bytes; `keep` it whole, too, where it is asked for next."""
    data = zlib.compress(content.model_dump_json(exclude_defaults=True).encode("utf8"), 3)
    if keep:
        _keep(data, content)
    return data


def unpacked(data: bytes) -> PageContent:
    """The content; who changes a page asks for it twice, before and after."""
    with _lock:
        content = _whole.get(data)
        if content is not None:
            _whole.move_to_end(data)
    if content is None:
        content = PageContent.model_validate_json(zlib.decompress(data))
        _keep(data, content)
    return content


def _keep(data: bytes, content: PageContent) -> None:
    with _lock:
        _whole[data] = content
        if len(_whole) > KEPT_WHOLE:
            _whole.popitem(last=False)


class LazyPages(Sequence[PageContent]):
    """Pages that `fetch` gives packed, as `told` makes them; only the last few are kept unpacked, because 500 of them fill the memory."""

    def __init__(
        self,
        count: int,
        fetch: Callable[[int], bytes],
        told: Callable[[PageContent], PageContent] = lambda page: page,
    ) -> None:
        self._count = count
        self._fetch = fetch
        self._told = told
        self._recent: OrderedDict[int, PageContent] = OrderedDict()

    def __len__(self) -> int:
        return self._count

    @overload
    def __getitem__(self, index: int) -> PageContent: ...

    @overload
    def __getitem__(self, index: slice) -> Sequence[PageContent]: ...

    def __getitem__(self, index: int | slice) -> PageContent | Sequence[PageContent]:
        if isinstance(index, slice):
            return [self[i] for i in range(*index.indices(self._count))]
        if not -self._count <= index < self._count:
            raise IndexError(index)
        index %= self._count
        if index not in self._recent:
            self._recent[index] = self._told(unpacked(self._fetch(index)))
            if len(self._recent) > KEPT:
                self._recent.popitem(last=False)
        return self._recent[index]
