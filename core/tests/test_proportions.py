"""Which host fails more of the same jobs than its peers do."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from paddock_core.proportions import ALPHA, Tally, contrasts


def fleet_of(hosts, tries, failed):
    return [Tally(f"knot-{i:03}", "soak", failed, tries) for i in range(hosts)]


def test_the_host_that_fails_stands_out_with_its_jobs():
    found = contrasts([*fleet_of(9, 20, 1), Tally("curlew-01", "soak", 14, 20), Tally("curlew-01", "lint", 0, 20)])
    assert [name for name, one in found.items() if one.stands_out] == ["curlew-01"]
    one = found["curlew-01"]
    assert (one.failed, one.tries, one.peers_failed, one.peers_tries, one.jobs) == (14, 20, 9, 180, ("soak",))


def test_a_job_that_fails_everywhere_blames_no_host():
    found = contrasts([*fleet_of(6, 10, 9), *[Tally(f"knot-{i:03}", "lint", 0, 30) for i in range(3)]])
    assert found
    assert not any(one.stands_out for one in found.values())


def test_a_job_that_ran_here_alone_says_nothing():
    assert contrasts([Tally("curlew-01", "soak", 30, 30)]) == {}


def test_few_attempts_are_not_asked():
    assert "curlew-01" not in contrasts([*fleet_of(4, 20, 0), Tally("curlew-01", "soak", 5, 5)])


def test_p_is_that_of_fishers_exact_test():
    found = contrasts([Tally("curlew-01", "soak", 9, 12), Tally("curlew-02", "soak", 2, 20)])
    expected = stats.fisher_exact([[9, 3], [2, 18]], alternative="greater").pvalue
    assert found["curlew-01"].p == pytest.approx(2 * expected)  # Holm: the smaller of two


@given(st.integers(0, 3000), st.integers(8, 3000), st.lists(st.integers(0, 7), min_size=1, max_size=400))
def test_p_is_the_upper_tail_of_the_hypergeometric_distribution(failed, tries, peers):
    failed = min(failed, tries)
    # Peers with so few attempts are not asked themselves: there is nothing to correct for.
    found = contrasts(
        [Tally("curlew-01", "soak", failed, tries), *[Tally(f"knot-{i}", "soak", n, 7) for i, n in enumerate(peers)]]
    )
    expected = stats.hypergeom.sf(failed - 1, tries + 7 * len(peers), failed + sum(peers), tries)
    assert found["curlew-01"].p == pytest.approx(expected, rel=1e-7, abs=1e-290)


def test_among_many_equal_hosts_hardly_one_is_ever_blamed():
    blamed = 0
    for seed in range(60):
        chance = np.random.default_rng(seed)
        tallies = [Tally(f"knot-{i:03}", "soak", int(chance.binomial(25, 0.15)), 25) for i in range(150)]
        blamed += any(one.p < ALPHA for one in contrasts(tallies).values())
    assert blamed <= 3


def test_correction_grows_with_the_fleet():
    alone = contrasts([*fleet_of(2, 20, 2), Tally("curlew-01", "soak", 9, 20)])["curlew-01"].p
    many = contrasts([*fleet_of(300, 20, 2), Tally("curlew-01", "soak", 9, 20)])["curlew-01"].p
    assert many > alone / 10
    assert contrasts([]) == {}
