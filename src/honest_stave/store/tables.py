"""The tables. Everything in a folio that can be undone is an ``Entity`` with a JSON body."""

from typing import Any

from sqlalchemy import JSON, Boolean, Float, ForeignKey, Index, Integer, String
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    """Base of all tables."""


class Folio(Base):
    """The workspace for one piece of music; ``revision`` grows by one with every change."""

    __tablename__ = "folio"
    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    revision: Mapped[int] = mapped_column(Integer, default=0)
    created_at: Mapped[float] = mapped_column(Float)
    changed_at: Mapped[float] = mapped_column(Float)
    demo: Mapped[bool] = mapped_column(Boolean, default=False)


class Entity(Base):
    """One thing of a folio (settings, take, part, note); ``parent`` is the part of a note."""

    __tablename__ = "entity"
    folio_id: Mapped[str] = mapped_column(ForeignKey("folio.id"), primary_key=True)
    kind: Mapped[str] = mapped_column(String(16), primary_key=True)
    parent: Mapped[str] = mapped_column(String(64), primary_key=True, default="")
    id: Mapped[str] = mapped_column(String(96), primary_key=True)
    body: Mapped[dict[str, Any]] = mapped_column(JSON)


class Change(Base):
    """One entry of a folio's history: what each entity was before and after."""

    __tablename__ = "change"
    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    folio_id: Mapped[str] = mapped_column(ForeignKey("folio.id"))
    label: Mapped[str] = mapped_column(String(200))
    at: Mapped[float] = mapped_column(Float)
    undone: Mapped[bool] = mapped_column(Boolean, default=False)
    deltas: Mapped[list[Any]] = mapped_column(JSON)
    __table_args__ = (Index("change_of_folio", "folio_id", "undone", "id"),)


class Recording(Base):
    """A decoded file, shared by takes with the same content; its files are named by hash."""

    __tablename__ = "recording"
    content: Mapped[str] = mapped_column(String(64), primary_key=True)
    kind: Mapped[str] = mapped_column(String(16))
    facts: Mapped[dict[str, Any]] = mapped_column(JSON)


class ReadingRow(Base):
    """A reading: its settings, engine, summary, and the hash of the file with its arrays."""

    __tablename__ = "reading"
    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    folio_id: Mapped[str] = mapped_column(ForeignKey("folio.id"))
    take_id: Mapped[str] = mapped_column(String(32))
    number: Mapped[int] = mapped_column(Integer)
    at: Mapped[float] = mapped_column(Float)
    engine: Mapped[str] = mapped_column(String(40))
    settings: Mapped[dict[str, Any]] = mapped_column(JSON)
    summary: Mapped[dict[str, Any]] = mapped_column(JSON)
    arrays: Mapped[str] = mapped_column(String(64))


class Job(Base):
    """Long work: queued, running, done, failed, stopped, or gone with a restart."""

    __tablename__ = "job"
    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    folio_id: Mapped[str] = mapped_column(String(32), default="")
    kind: Mapped[str] = mapped_column(String(24))
    title: Mapped[str] = mapped_column(String(300))
    state: Mapped[str] = mapped_column(String(12))
    at: Mapped[float] = mapped_column(Float)
    order: Mapped[int] = mapped_column(Integer, default=0)
    arguments: Mapped[dict[str, Any]] = mapped_column(JSON)
    result: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)


class HandOn(Base):
    """A file that was handed on: its settings, where it lies, and its proof."""

    __tablename__ = "hand_on"
    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    folio_id: Mapped[str] = mapped_column(ForeignKey("folio.id"))
    at: Mapped[float] = mapped_column(Float)
    name: Mapped[str] = mapped_column(String(300))
    content: Mapped[str] = mapped_column(String(64))
    settings: Mapped[dict[str, Any]] = mapped_column(JSON)
    proof: Mapped[dict[str, Any]] = mapped_column(JSON)


class Preference(Base):
    """What the producer set once for all folios."""

    __tablename__ = "preference"
    key: Mapped[str] = mapped_column(String(64), primary_key=True)
    value: Mapped[dict[str, Any]] = mapped_column(JSON)
