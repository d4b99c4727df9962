"""The one wrapper around SQLite: opening, migrating, transactions, and errors in plain words."""

from __future__ import annotations

import os
import sqlite3
import tempfile
import zlib
from collections.abc import Iterator, Sequence
from contextlib import closing, contextmanager, suppress
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from guardia.core.base.errors import InvalidValue, ProjectError

BUSY_S = 10.0
"""How long another program that writes to the project is waited for."""

MIGRATIONS: tuple[str, ...] = (
    """
    CREATE TABLE site (id INTEGER PRIMARY KEY CHECK (id = 1), name TEXT NOT NULL, time_zone TEXT NOT NULL);
    CREATE TABLE camera (
        id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, capability TEXT NOT NULL, clean_view BLOB
    );
    CREATE TABLE settings (
        id INTEGER PRIMARY KEY, camera_id INTEGER NOT NULL REFERENCES camera (id),
        role TEXT NOT NULL CHECK (role IN ('installed', 'draft')),
        from_s REAL, to_s REAL, body TEXT NOT NULL
    );
    CREATE UNIQUE INDEX one_draft ON settings (camera_id) WHERE role = 'draft';
    CREATE UNIQUE INDEX one_in_force ON settings (camera_id) WHERE role = 'installed' AND to_s IS NULL;
    CREATE TABLE clip (
        id INTEGER PRIMARY KEY, camera_id INTEGER NOT NULL REFERENCES camera (id), file TEXT NOT NULL UNIQUE,
        original_name TEXT NOT NULL, digest TEXT NOT NULL, bytes INTEGER NOT NULL, start_s REAL NOT NULL,
        start_source TEXT NOT NULL, duration_s REAL NOT NULL, width INTEGER NOT NULL, height INTEGER NOT NULL,
        codec TEXT NOT NULL, origin TEXT NOT NULL, UNIQUE (camera_id, digest)
    );
    CREATE TABLE trace (
        clip_id INTEGER PRIMARY KEY REFERENCES clip (id), columns INTEGER NOT NULL, rows INTEGER NOT NULL,
        levels INTEGER NOT NULL, times_s BLOB NOT NULL, frame_start BLOB NOT NULL, cell BLOB NOT NULL,
        changed BLOB NOT NULL, brightness REAL NOT NULL
    );
    CREATE TABLE occurrence (
        id INTEGER PRIMARY KEY, clip_id INTEGER NOT NULL REFERENCES clip (id), start_s REAL NOT NULL,
        end_s REAL NOT NULL, kind TEXT NOT NULL DEFAULT '', key_times TEXT NOT NULL DEFAULT '[]', strip TEXT NOT NULL
    );
    CREATE INDEX occurrence_of_clip ON occurrence (clip_id);
    CREATE TABLE logbook (
        id INTEGER PRIMARY KEY, at_s REAL NOT NULL, camera_id INTEGER REFERENCES camera (id),
        what TEXT NOT NULL, detail TEXT NOT NULL DEFAULT ''
    );
    """,
    """
    ALTER TABLE camera ADD COLUMN clock_error_s REAL NOT NULL DEFAULT 0;
    ALTER TABLE camera ADD COLUMN time_pattern TEXT NOT NULL DEFAULT '';
    ALTER TABLE occurrence ADD COLUMN visit INTEGER;
    ALTER TABLE occurrence ADD COLUMN gone INTEGER NOT NULL DEFAULT 0;
    CREATE VIEW clip_at AS
        SELECT c.*, c.start_s - CASE c.start_source WHEN 'given' THEN 0 ELSE k.clock_error_s END AS true_s
        FROM clip c JOIN camera k ON k.id = c.camera_id;
    CREATE TABLE event (
        id INTEGER PRIMARY KEY, camera_id INTEGER NOT NULL REFERENCES camera (id), shown_s REAL NOT NULL,
        duration_s REAL, named TEXT NOT NULL, alert INTEGER, zone TEXT NOT NULL, source TEXT NOT NULL,
        UNIQUE (camera_id, shown_s, named, zone)
    );
    CREATE TABLE boxes (
        clip_id INTEGER NOT NULL REFERENCES clip (id), source TEXT NOT NULL, times_s BLOB NOT NULL,
        object_id BLOB NOT NULL, box BLOB NOT NULL, named TEXT NOT NULL, PRIMARY KEY (clip_id, source)
    );
    """,
    """
    ALTER TABLE camera ADD COLUMN view TEXT NOT NULL DEFAULT '';
    """,
    """
    ALTER TABLE trace ADD COLUMN model INTEGER NOT NULL DEFAULT 1;
    ALTER TABLE trace ADD COLUMN helped TEXT NOT NULL DEFAULT '';
    ALTER TABLE trace ADD COLUMN final INTEGER NOT NULL DEFAULT 1;
    ALTER TABLE clip ADD COLUMN cause TEXT NOT NULL DEFAULT '';
    ALTER TABLE clip ADD COLUMN trouble TEXT NOT NULL DEFAULT '';
    ALTER TABLE event ADD COLUMN cause TEXT NOT NULL DEFAULT '';
    CREATE VIEW measured AS SELECT * FROM trace WHERE final;
    CREATE TABLE watched (
        id INTEGER PRIMARY KEY, camera_id INTEGER NOT NULL REFERENCES camera (id), from_s REAL NOT NULL,
        to_s REAL NOT NULL, up INTEGER NOT NULL
    );
    CREATE INDEX clip_of_camera ON clip (camera_id);
    """,
    """
    ALTER TABLE camera ADD COLUMN gone INTEGER NOT NULL DEFAULT 0;
    ALTER TABLE clip ADD COLUMN gone INTEGER NOT NULL DEFAULT 0;
    ALTER TABLE logbook ADD COLUMN gone INTEGER NOT NULL DEFAULT 0;
    DROP VIEW clip_at;
    CREATE VIEW clip_at AS
        SELECT c.*, c.start_s - CASE c.start_source WHEN 'given' THEN 0 ELSE k.clock_error_s END AS true_s
        FROM clip c JOIN camera k ON k.id = c.camera_id WHERE NOT c.gone AND NOT k.gone;
    """,
    """
    ALTER TABLE site ADD COLUMN latitude REAL;
    ALTER TABLE site ADD COLUMN longitude REAL;
    """,
    """
    CREATE TABLE hours_group (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, body TEXT NOT NULL);
    ALTER TABLE camera ADD COLUMN hours_group_id INTEGER REFERENCES hours_group (id);
    CREATE TABLE store (id INTEGER PRIMARY KEY, body TEXT NOT NULL);
    CREATE TABLE camera_store (
        camera_id INTEGER NOT NULL REFERENCES camera (id), store_id INTEGER NOT NULL REFERENCES store (id),
        PRIMARY KEY (camera_id, store_id)
    );
    CREATE TABLE reading (
        id INTEGER PRIMARY KEY, camera_id INTEGER REFERENCES camera (id), store_id INTEGER REFERENCES store (id),
        at_s REAL NOT NULL, what TEXT NOT NULL, value REAL, CHECK ((camera_id IS NULL) <> (store_id IS NULL))
    );
    CREATE TABLE fact (
        id INTEGER PRIMARY KEY, camera_id INTEGER REFERENCES camera (id), name TEXT NOT NULL, value REAL NOT NULL
    );
    ALTER TABLE camera ADD COLUMN about TEXT NOT NULL DEFAULT '{}';
    CREATE TABLE checked (
        id INTEGER PRIMARY KEY, camera_id INTEGER NOT NULL REFERENCES camera (id), item TEXT NOT NULL,
        state TEXT NOT NULL, who TEXT NOT NULL, at_s REAL NOT NULL, UNIQUE (camera_id, item)
    );
    """,
    """
    CREATE TABLE unit (id INTEGER PRIMARY KEY, body TEXT NOT NULL);
    CREATE TABLE camera_unit (
        camera_id INTEGER NOT NULL REFERENCES camera (id), unit_id INTEGER NOT NULL REFERENCES unit (id),
        PRIMARY KEY (camera_id, unit_id)
    );
    CREATE TABLE task (
        id INTEGER PRIMARY KEY, camera_id INTEGER REFERENCES camera (id), on_day TEXT NOT NULL, what TEXT NOT NULL
    );
    CREATE TABLE walk (
        id INTEGER PRIMARY KEY, camera_id INTEGER NOT NULL REFERENCES camera (id), at_s REAL NOT NULL,
        body TEXT NOT NULL
    );
    CREATE TABLE summary (camera_id INTEGER PRIMARY KEY REFERENCES camera (id), body TEXT NOT NULL);
    ALTER TABLE site ADD COLUMN people TEXT NOT NULL DEFAULT '';
    ALTER TABLE clip ADD COLUMN picture TEXT NOT NULL DEFAULT '';
    ALTER TABLE occurrence ADD COLUMN judged_s REAL;
    ALTER TABLE occurrence ADD COLUMN judged_by TEXT NOT NULL DEFAULT '';
    """,
    """
    CREATE TABLE purpose (
        id INTEGER PRIMARY KEY, camera_id INTEGER NOT NULL REFERENCES camera (id), from_s REAL NOT NULL,
        body TEXT NOT NULL
    );
    """,
    """
    -- The tables stay. Settings name what nobody said of them, and cameras know the folder of their clips: a Guardia
    -- that does not know these words would set such a camera aside as damaged, so it is to refuse the file.
    """,
    """
    ALTER TABLE occurrence ADD COLUMN undone_s REAL;
    """,
    """
    ALTER TABLE reading ADD COLUMN shown TEXT NOT NULL DEFAULT '';
    """,
)
"""Step n brings a file from schema version n to n + 1."""

SCHEMA_VERSION = len(MIGRATIONS)
APPLICATION_ID = 0x47524441

NETWORK = ("nfs", "nfs4", "cifs", "smb3", "smbfs", "9p", "fuse.sshfs", "afs", "ceph", "glusterfs")
"""Kinds of file systems that other machines may write to, too."""

MOUNTS = Path("/proc/self/mounts")


def on_network(path: Path) -> bool:
    """Whether a file lies in a folder that is mounted over the network, as far as this system tells."""
    try:
        lines = MOUNTS.read_text("utf-8", "replace").splitlines()
    except OSError:
        return False
    where = str(path.resolve())
    mounts = [(parts[1].replace("\\040", " "), parts[2]) for line in lines if len(parts := line.split(" ")) > 2]
    inside = [(at, kind) for at, kind in mounts if where == at or where.startswith(at.rstrip("/") + "/")]
    return bool(inside) and max(inside, key=lambda one: len(one[0]))[1] in NETWORK


class Database:
    """One connection, for one thread.

    Args:
        path: The file; it is made when missing and `create` is given.
        create: Make a new file.
        begin: SQL that a new file begins with besides its tables, and its values; it is there from the first moment.

    Raises:
        ProjectError: If the file cannot be opened, is no project, or was made by a newer Guardia.
    """

    def __init__(self, path: Path, *, create: bool = False, begin: tuple[str, Sequence[Any]] | None = None) -> None:
        self.path = path
        if not create and not path.is_file():
            raise ProjectError(
                f"There is no Guardia project at {path.parent}.", do="Choose a folder that holds a project.sqlite."
            )
        with self.plainly():
            self._connection = sqlite3.connect(os.fsencode(path), isolation_level=None, timeout=BUSY_S)
        try:
            with self.plainly():
                self._prepare(create=create, begin=begin)
        except BaseException:
            self._connection.close()
            raise

    def _prepare(self, *, create: bool, begin: tuple[str, Sequence[Any]] | None) -> None:
        connection = self._connection
        connection.row_factory = sqlite3.Row
        # A project may come from somebody else: what its schema could hide or run is not trusted.
        connection.execute("PRAGMA trusted_schema = OFF")
        with self.reading():  # another process may be bringing the file forward just now
            version, schema = self._version(), _schema(connection)
        mark = int(connection.execute("PRAGMA application_id").fetchone()[0])
        if not create and (mark != APPLICATION_ID or version < 1):
            raise ProjectError(f"{self.path} is not a Guardia project.", kept="The file was not changed.")
        if version > SCHEMA_VERSION:
            raise ProjectError(
                f"{self.path.parent} was made by a newer Guardia (schema {version}; this one knows {SCHEMA_VERSION}).",
                kept="The project was not changed.",
                do="Open it with the newer version.",
            )
        if version:
            self._check_schema(version, schema)
        # A write-ahead log needs memory that all who read share, which other machines on a network folder do not.
        mode = "TRUNCATE" if on_network(self.path) else "WAL"
        connection.execute(f"PRAGMA journal_mode = {mode}")
        connection.execute("PRAGMA synchronous = NORMAL")
        connection.execute("PRAGMA foreign_keys = ON")
        if version < SCHEMA_VERSION:
            self._bring_forward(begin if create else None)

    def _version(self) -> int:
        return int(self._connection.execute("PRAGMA user_version").fetchone()[0])

    def _bring_forward(self, begin: tuple[str, Sequence[Any]] | None) -> None:
        """Run the migrations that are missing, each whole or not at all; another process may be at it, too."""
        connection = self._connection
        version = self._version()
        if version:
            self._back_up(version)
        while True:
            connection.execute("BEGIN IMMEDIATE")
            try:
                version = self._version()
                if version < SCHEMA_VERSION:
                    migrate(connection, version)
                    if version == SCHEMA_VERSION - 1 and begin is not None:
                        connection.execute(*begin)
                connection.execute("COMMIT")
            except BaseException:
                connection.execute("ROLLBACK")
                raise
            if version >= SCHEMA_VERSION:
                return

    def _check_schema(self, version: int, schema: dict[str, str]) -> None:
        """Refuse tables, views and triggers that are not ours: they could hide rows or change them behind our back."""
        with closing(sqlite3.connect(":memory:", isolation_level=None)) as own:
            for step in range(version):
                migrate(own, step)
            expected = _schema(own)
        if foreign := sorted(schema.items() - expected.items()) or sorted(expected.items() - schema.items()):
            raise ProjectError(
                f"The tables of {self.path} are not those of a project: '{foreign[0][0]}' is foreign or missing.",
                kept="The file was not changed.",
                do="Ask for the project as Guardia made it.",
            )

    def _back_up(self, version: int) -> None:
        target = self.path.with_suffix(f".before-schema-{version + 1}.sqlite")
        handle, part = tempfile.mkstemp(".part", dir=self.path.parent)
        os.close(handle)
        try:
            with closing(sqlite3.connect(part)) as copy:
                self._connection.backup(copy)
            os.replace(part, target)
        except BaseException:
            with suppress(OSError):
                os.unlink(part)
            raise

    @contextmanager
    def plainly(self) -> Iterator[None]:
        """Tell errors of the person's disk or file in plain words; our own mistakes pass unchanged."""
        try:
            yield
        except sqlite3.OperationalError as error:
            text = str(error)
            kept = "Everything saved before is kept."
            if "readonly" in text or "read-only" in text:
                raise ProjectError(
                    f"The project at {self.path.parent} cannot be written to.",
                    kept=kept,
                    do="Copy the folder to a place of your own and open it there.",
                ) from error
            if "full" in text:
                raise ProjectError(
                    "The disk is full.", kept=kept, do="Free some space and repeat the last step."
                ) from error
            if "locked" in text:
                raise ProjectError(
                    "Another program is writing to this project.",
                    kept=kept,
                    do="Close it there, then repeat the last step.",
                ) from error
            if "unable to open" in text or "disk I/O" in text:
                raise ProjectError(
                    f"The project file {self.path} cannot be opened or read.",
                    kept=kept,
                    do="Check that the disk is connected and that you may read and write there.",
                ) from error
            if "decode" in text:
                raise ProjectError(
                    f"The project file {self.path} is damaged: some of its text is none.",
                    kept="The file was not changed.",
                ) from error
            raise
        except UnicodeEncodeError as error:
            raise InvalidValue(
                f"A text holds what is no letter (U+{ord(error.object[error.start]):04X}).",
                kept="Everything saved before is kept.", do="Type it again without it.",
            ) from error  # fmt: skip
        except OverflowError as error:
            raise InvalidValue("A number is too large to be kept.", kept="Everything saved before is kept.") from error
        except sqlite3.DatabaseError as error:
            if "not a database" in str(error) or "malformed" in str(error):
                raise ProjectError(
                    f"{self.path} is not a Guardia project, or it is damaged.", kept="The file was not changed."
                ) from error
            raise

    @contextmanager
    def transaction(self) -> Iterator[None]:
        """All or nothing: commit on success, roll back on any exception."""
        if self._connection.in_transaction:
            yield  # part of a larger one
            return
        with self.plainly():
            self._connection.execute("BEGIN IMMEDIATE")
            try:
                yield
                self._connection.execute("COMMIT")
            except BaseException:
                if self._connection.in_transaction:
                    self._connection.execute("ROLLBACK")
                raise

    @contextmanager
    def reading(self) -> Iterator[None]:
        """All queries inside see the same state, whatever others write meanwhile."""
        if self._connection.in_transaction:
            yield
            return
        with self.plainly():
            self._connection.execute("BEGIN")
            try:
                yield
            finally:
                if self._connection.in_transaction:
                    self._connection.execute("COMMIT")

    @property
    def revision(self) -> tuple[int, int]:
        """Another value whenever something was written, by this connection or by any other."""
        version = int(self._connection.execute("PRAGMA data_version").fetchone()[0])
        return version, self._connection.total_changes

    def rows(self, sql: str, values: Sequence[Any] = ()) -> list[sqlite3.Row]:
        """All rows of a query."""
        with self.plainly():
            return self._connection.execute(sql, values).fetchall()

    def each(self, sql: str, values: Sequence[Any] = ()) -> Iterator[sqlite3.Row]:
        """The rows of a query one after another, without holding them all."""
        with self.plainly():
            yield from self._connection.execute(sql, values)

    def run(self, sql: str, values: Sequence[Any] = ()) -> int:
        """Run one statement; returns the id of an inserted row."""
        with self.plainly():
            return int(self._connection.execute(sql, values).lastrowid or 0)

    def close(self) -> None:
        """Close the connection and fold the write-ahead log back into the file."""
        self._connection.close()


def migrate(connection: sqlite3.Connection, step: int) -> None:
    """Bring a database from schema version `step` to the next, within a transaction of the caller's."""
    statement = ""
    for line in MIGRATIONS[step].splitlines():
        statement += f"{line}\n"
        if sqlite3.complete_statement(statement):
            connection.execute(statement)
            statement = ""
    if statement.strip():
        connection.execute(statement)
    connection.execute(f"PRAGMA user_version = {step + 1}")
    connection.execute(f"PRAGMA application_id = {APPLICATION_ID}")


def _schema(connection: sqlite3.Connection) -> dict[str, str]:
    """The statement of everything in a database, by name, white space folded."""
    rows = connection.execute("SELECT type, name, sql FROM sqlite_master WHERE name NOT LIKE 'sqlite\\_%' ESCAPE '\\'")
    return {f"{row[0]} {row[1]}": " ".join((row[2] or "").split()) for row in rows}


MOST_BYTES = 1 << 28
"""Arrays are unpacked up to this size; the trace of a day of footage takes a fraction of it."""


def pack(values: NDArray[Any], form: str) -> bytes:
    """Numbers as compressed bytes of a NumPy type such as '<f8'."""
    return zlib.compress(np.ascontiguousarray(values, np.dtype(form)).tobytes(), 4)


def unpack(blob: bytes, form: str) -> NDArray[Any]:
    """Numbers from such bytes.

    Args:
        blob: From pack().
        form: The NumPy type.

    Returns:
        One-dimensional.

    Raises:
        ProjectError: If the bytes are damaged or would fill the memory.
    """
    try:
        packer = zlib.decompressobj()
        content = packer.decompress(blob, MOST_BYTES)
        if packer.unconsumed_tail or not packer.eof:
            raise ValueError("it is cut short or too long")
        return np.frombuffer(content, np.dtype(form))
    except (zlib.error, ValueError, TypeError) as error:
        raise ProjectError(f"Numbers kept in the project are damaged ({error}).") from error
