"""Sessions, pulls and their raw samples, what people do around them, and what passes to and from the stand."""

from stand.models.day import Acknowledgement, Asks, Change, JobKind, ListItem, Moment, Note, NoteKind, OpenJob, Tick
from stand.models.idle_card import IdleCard, LowPull, Returning, Starting
from stand.models.instrument import InstrumentCheck, InstrumentCheckKind, InstrumentInterval
from stand.models.line import Command, CommandState, Link, StandLimit
from stand.models.pull import (
    ENDED,
    Channel,
    Chunk,
    InertiaInTorque,
    Pull,
    PullAir,
    PullOrigin,
    PullSetting,
    PullState,
    Purpose,
    Standing,
)
from stand.models.session import Period, Session, TankReading, WeatherReading

__all__ = [
    "ENDED",
    "Acknowledgement",
    "Asks",
    "Change",
    "Channel",
    "Chunk",
    "Command",
    "CommandState",
    "IdleCard",
    "InertiaInTorque",
    "InstrumentCheck",
    "InstrumentCheckKind",
    "InstrumentInterval",
    "JobKind",
    "Link",
    "ListItem",
    "LowPull",
    "Moment",
    "Note",
    "NoteKind",
    "OpenJob",
    "Period",
    "Pull",
    "PullAir",
    "PullOrigin",
    "PullSetting",
    "PullState",
    "Purpose",
    "Returning",
    "Session",
    "StandLimit",
    "Standing",
    "Starting",
    "TankReading",
    "Tick",
    "WeatherReading",
]
