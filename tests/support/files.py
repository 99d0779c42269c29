"""Files of every form, made for tests."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Mapping, Sequence

import xlsxwriter


def unreported(_phase: str, _done: int, _total: int) -> None:
    """Nobody wants to know how far it is."""


LIMIT = 64 << 20


def workbook(sheets: Mapping[str, Sequence[Sequence[object]]]) -> bytes:
    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"default_date_format": "yyyy-mm-dd"}) as book:
        for name, rows in sheets.items():
            sheet = book.add_worksheet(name)
            for place, row in enumerate(rows):
                sheet.write_row(place, 0, row)
    return out.getvalue()


def zipped(files: dict[str, bytes], level: int = zipfile.ZIP_DEFLATED) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", level) as archive:
        for name, content in files.items():
            archive.writestr(name, content)
    return out.getvalue()


def ods(rows: list[list[str]]) -> bytes:
    """A spreadsheet as the OpenDocument standard describes it, with the least that it needs."""
    cells = "".join(f"<table:table-row>{''.join(row)}</table:table-row>" for row in rows)
    names = " ".join(
        f'xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"' for name in ("office", "table", "text")
    )
    content = (
        f'<?xml version="1.0"?><office:document-content {names} office:version="1.2"><office:body><office:spreadsheet>'
        f'<table:table table:name="Till">{cells}</table:table></office:spreadsheet></office:body>'
        "</office:document-content>"
    )
    kind = "application/vnd.oasis.opendocument.spreadsheet"
    manifest = (
        '<?xml version="1.0"?><manifest:manifest '
        'xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0">'
        f'<manifest:file-entry manifest:full-path="/" manifest:media-type="{kind}"/></manifest:manifest>'
    )
    files = {"mimetype": kind.encode(), "content.xml": content.encode(), "META-INF/manifest.xml": manifest.encode()}
    return zipped(files, zipfile.ZIP_STORED)
