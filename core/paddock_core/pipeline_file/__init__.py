"""The pipeline file: which jobs a pipeline sends, and what each asks for."""

from .lint import remarks_on
from .reading import read_pipeline, read_steps
from .steps import why_no_address
from .wanted import PRIORITIES, Checkout, FileMistakes, Level, PipelineFile, Remark, WantedJob, WantedStep

__all__ = [
    "PRIORITIES",
    "Checkout",
    "FileMistakes",
    "Level",
    "PipelineFile",
    "Remark",
    "WantedJob",
    "WantedStep",
    "read_pipeline",
    "read_steps",
    "remarks_on",
    "why_no_address",
]
