"""The survey: which tools are on this host, found by running them."""

from .survey import SurveyResult, survey

__all__ = ["SurveyResult", "survey"]
