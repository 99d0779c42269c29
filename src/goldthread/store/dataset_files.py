"""Parquet files of a dataset where they are: a folder, a file, or what Arrow reaches by an address."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path, PurePosixPath

import pyarrow as pa
import pyarrow.dataset as pads
from pyarrow import fs, parquet

from goldthread.errors import InvalidInput, TooLarge, Unavailable
from goldthread.store.datasets import FileRow

FORM = "parquet"
FILES_MOST = 10_000
_ENDINGS = (".parquet", ".parq", ".pq")
_HIDDEN = ("_", ".")


@dataclass(frozen=True)
class Files:
    """Where the files of a dataset are."""

    address: str
    system: fs.FileSystem
    root: str

    @classmethod
    def at(cls, address: str) -> Files:
        """By an address: parquet: and a folder or a file, or what a file system is reached by, such as
        parquet:s3://orders/2026. Raises `InvalidInput`."""
        form, _, place = address.partition(":")
        if form != FORM or not place:
            raise InvalidInput(
                f"{address[:80] or 'Nothing'} does not say where orders are.",
                remedy=f"Give {FORM}: and a folder, such as {FORM}:/data/orders.",
                field="orders_in",
            )
        try:
            system, root = (
                fs.FileSystem.from_uri(place) if "://" in place else (fs.LocalFileSystem(), str(Path(place).absolute()))
            )
        except (pa.ArrowInvalid, OSError) as error:
            raise InvalidInput(f"{place[:80]} cannot be reached: {error}.", remedy="Look at the address.") from None
        return cls(address, system, root)

    @property
    def told(self) -> str:
        """Its address, the same from wherever it is asked."""
        return f"{FORM}:{self.root}" if isinstance(self.system, fs.LocalFileSystem) else self.address

    def listed(self) -> tuple[FileRow, ...]:
        """The files by name, without those that begin with an underscore or a dot. Raises `Unavailable`."""
        try:
            above = self.system.get_file_info(self.root)
            one = above.type == fs.FileType.File
            found = [above] if one else self.system.get_file_info(fs.FileSelector(self.root, recursive=True))
        except OSError as error:
            raise Unavailable(
                f"The orders in {self.address} cannot be reached: {error}.", remedy="Nothing was changed. Try again."
            ) from None
        rows = []
        for each in found:
            name = PurePosixPath(each.path).name if one else str(PurePosixPath(each.path).relative_to(self.root))
            hidden = any(part.startswith(_HIDDEN) for part in PurePosixPath(name).parts)
            if each.type == fs.FileType.File and name.endswith(_ENDINGS) and not hidden:
                rows.append(FileRow(name, each.size, str(each.mtime_ns)))
        if len(rows) > FILES_MOST:
            raise TooLarge(f"{len(rows)} files are more than a book has.", remedy=f"Join them to {FILES_MOST} at most.")
        return tuple(sorted(rows, key=lambda row: row.name))

    def fetched(self, file: FileRow, folder: Path) -> Path:
        """A file on this machine, with what the names of its folders say (region=north) as columns."""
        path = self._path(file)
        said = [part.partition("=") for part in PurePosixPath(file.name).parts[:-1] if "=" in part]
        if isinstance(self.system, fs.LocalFileSystem) and not said:
            return Path(path)
        target = folder / "fetched.parquet"
        with self.system.open_input_file(path) as content:
            source = parquet.ParquetFile(content)
            more = [(name, pa.string()) for name, _, _ in said if name not in source.schema_arrow.names]
            schema = pa.schema([*source.schema_arrow, *more])
            with parquet.ParquetWriter(target, schema) as out:
                for group in range(source.num_row_groups):
                    rows = source.read_row_group(group)
                    for name, _, value in said:
                        if name not in rows.column_names:
                            rows = rows.append_column(name, pa.array([value] * rows.num_rows, pa.string()))
                    out.write_table(rows)
        return target

    def dataset(self, files: tuple[FileRow, ...]) -> pads.Dataset:
        """Some of the files as Arrow scans them, with what the names of their folders say as columns."""
        paths = [self._path(each) for each in files]
        return pads.dataset(
            paths, filesystem=self.system, format=FORM, partitioning="hive", partition_base_dir=self.root
        )

    def _path(self, file: FileRow) -> str:
        return self.root if PurePosixPath(self.root).name == file.name else f"{self.root}/{file.name}"
