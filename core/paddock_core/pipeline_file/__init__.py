"""The pipeline file: which jobs a pipeline sends, and what each asks for."""

from .lint import remarks_on
from .reading import read_pipeline
from .wanted import PRIORITIES, FileMistakes, Level, PipelineFile, Remark, WantedJob

__all__ = [
    "PRIORITIES",
    "FileMistakes",
    "Level",
    "PipelineFile",
    "Remark",
    "WantedJob",
    "read_pipeline",
    "remarks_on",
]
