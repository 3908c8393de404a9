"""What the verdicts keep: see the modules for each kind."""

from verdicts.models.book import SessionBook
from verdicts.models.estimate import ESTIMATED, Estimate, EstimatedGain
from verdicts.models.guideline import Explanation, Grade, Guideline, GuidelineMeasure
from verdicts.models.handover import HandoverSheet
from verdicts.models.judged import Decision, KnownScatter, Sheet, SheetLink
from verdicts.models.result import PairGain, ProgrammeChange, SetupResult, StoredResult, UndecidedPair

__all__ = [
    "ESTIMATED",
    "Decision",
    "Estimate",
    "EstimatedGain",
    "Explanation",
    "Grade",
    "Guideline",
    "GuidelineMeasure",
    "HandoverSheet",
    "KnownScatter",
    "PairGain",
    "ProgrammeChange",
    "SessionBook",
    "SetupResult",
    "Sheet",
    "SheetLink",
    "StoredResult",
    "UndecidedPair",
]
