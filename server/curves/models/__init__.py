"""Reduced curves and how somebody wanted them reduced, judgements of comparability, and files as they came."""

from curves.models.comparability import ComparabilityOverride, ComparisonWindow, SparkDecision, SparkRule, StandingTune
from curves.models.curve import CUT_BY, CUTS, ChannelMean, CurveAnomaly, Reduced, ReductionOverride, SampleFinding
from curves.models.files import ArchivePiece, ArchiveUpload, FileState, Import, KnownLayout, ManifestLine, SourceFile
from curves.models.printed_sheet import PrintedSheet, ReadCell, ReadTable

__all__ = [
    "CUTS",
    "CUT_BY",
    "ArchivePiece",
    "ArchiveUpload",
    "ChannelMean",
    "ComparabilityOverride",
    "ComparisonWindow",
    "CurveAnomaly",
    "FileState",
    "Import",
    "KnownLayout",
    "ManifestLine",
    "PrintedSheet",
    "ReadCell",
    "ReadTable",
    "Reduced",
    "ReductionOverride",
    "SampleFinding",
    "SourceFile",
    "SparkDecision",
    "SparkRule",
    "StandingTune",
]
