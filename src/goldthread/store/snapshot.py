"""A book's sorted columns on disk, memory-mapped: shared by all processes, and thrown away at will.

A snapshot is a folder of ``.npy`` files and a ``book.json`` that names the revision, the labels, and each file's size
and check figure of its first and last bytes. One that is stale, incomplete or damaged is not read.
"""

from __future__ import annotations

import json
import shutil
import tempfile
import zlib
from pathlib import Path
from typing import Any

import numpy as np

from goldthread.core.book import Attribute, OrderBook

FORMAT = 1
_COLUMNS = ("starts", "day", "amount_minor", "order_id", "customer_id")
_SAMPLE_BYTES = 1 << 16


def save_snapshot(folder: Path, book_id: int, revision: int, book: OrderBook) -> None:
    """Write a snapshot beside the others, then move it to its name; older ones of the book are removed."""
    folder.mkdir(parents=True, exist_ok=True)
    unfinished = Path(tempfile.mkdtemp(prefix=f"{book_id}-{revision}-", suffix=".new", dir=folder))
    for name in _COLUMNS:
        np.save(unfinished / f"{name}.npy", getattr(book, name))
    for name, attribute in book.attributes.items():
        np.save(unfinished / f"label-{name}.npy", attribute.codes)
    description = {
        "format": FORMAT,
        "revision": revision,
        "labels": {name: attribute.labels for name, attribute in book.attributes.items()},
        "files": {file.name: _fingerprint(file) for file in sorted(unfinished.glob("*.npy"))},
    }
    (unfinished / "book.json").write_text(json.dumps(description), encoding="utf-8")
    final = _place(folder, book_id, revision)
    shutil.rmtree(final, ignore_errors=True)
    unfinished.rename(final)
    for other in folder.glob(f"{book_id}-*"):
        if other != final and not other.name.endswith(".new"):
            shutil.rmtree(other, ignore_errors=True)


def open_snapshot(folder: Path, book_id: int, revision: int) -> OrderBook | None:
    """The book of a snapshot, memory-mapped; None when there is none of this revision that is whole."""
    place = _place(folder, book_id, revision)
    try:
        description: dict[str, Any] = json.loads((place / "book.json").read_text(encoding="utf-8"))
        if description["format"] != FORMAT or description["revision"] != revision:
            return None
        if any(_fingerprint(place / name) != known for name, known in description["files"].items()):
            return None
        columns = {name: np.load(place / f"{name}.npy", mmap_mode="r") for name in _COLUMNS}
        labels = {
            name: Attribute(np.load(place / f"label-{name}.npy", mmap_mode="r"), tuple(texts))
            for name, texts in description["labels"].items()
        }
    except (OSError, ValueError, KeyError):
        return None
    return OrderBook(**columns, attributes=labels)


def _place(folder: Path, book_id: int, revision: int) -> Path:
    return folder / f"{book_id}-{revision}"


def _fingerprint(file: Path) -> list[int]:
    size = file.stat().st_size
    with file.open("rb") as content:
        check = zlib.crc32(content.read(_SAMPLE_BYTES))
        content.seek(max(size - _SAMPLE_BYTES, 0))
        return [size, zlib.crc32(content.read(_SAMPLE_BYTES), check)]
