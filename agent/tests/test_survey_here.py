"""The survey of this very machine says what a shell here says."""

import asyncio

from shell_says import disagreements

from paddock_agent.catalogue import built_in
from paddock_agent.survey import survey
from paddock_agent.system.real import RealSystem


def test_on_this_machine_the_survey_agrees_with_a_shell():
    result = asyncio.run(survey(RealSystem(), built_in(), patience=60.0))
    compared, differing = disagreements(result.installations, result.broken)
    assert differing == []
    assert {"git", "python", "bash"} <= compared, "a machine that runs the tests has these"
