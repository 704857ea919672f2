"""The survey: which tools are on this host, found by running them, and what the host itself is."""

from .details import gather_details
from .places import watched_folders
from .survey import SurveyResult, survey

__all__ = ["SurveyResult", "gather_details", "survey", "watched_folders"]
