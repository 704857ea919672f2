"""The pace of a chore run, its stop at failures, its draining, and a result for every host."""

from hypothesis import given
from hypothesis import strategies as st

from paddock_core.chores import AT_WORK, FAILURES, HostState, ObservedHost, Rolling, is_over, moves, outcome


def states(*pairs):
    return [ObservedHost(f"host-{i}", state, *more) for i, (state, *more) in enumerate(pairs)]


def test_a_host_that_works_is_drained_first_and_runs_when_it_is_idle():
    rolling = Rolling(drain=True)
    (move,) = moves(rolling, states((HostState.WAITING, True, True)))
    assert move.state is HostState.DRAINING
    assert moves(rolling, states((HostState.DRAINING, True, True))) == []
    (move,) = moves(rolling, states((HostState.DRAINING, True, False)))
    assert move.state is HostState.RUNNING


def test_a_host_that_is_away_takes_nobodys_place():
    found = moves(Rolling(), states((HostState.WAITING, False), (HostState.WAITING,), (HostState.WAITING,)))
    assert [one.state for one in found] == [HostState.UNREACHABLE, HostState.RUNNING]


def test_after_so_many_failures_the_rest_is_left_out():
    hosts = states((HostState.FAILED,), (HostState.NOT_THERE,), (HostState.RUNNING,), (HostState.WAITING,))
    assert [one.state for one in moves(Rolling(3, 2), hosts)] == [HostState.LEFT_OUT]
    assert [one.state for one in moves(Rolling(3, 3), hosts)] == [HostState.RUNNING]
    assert [one.state for one in moves(Rolling(3, 0), hosts)] == [HostState.RUNNING]


def test_what_it_came_to():
    assert outcome(False, []) is HostState.FAILED
    assert outcome(True, ["tool cmake 3.28+"]) is HostState.NOT_THERE
    assert outcome(True, []) is HostState.DONE


hosts = st.lists(
    st.tuples(st.booleans(), st.booleans(), st.sampled_from(["passes", "fails", "not there"])), max_size=12
)


@given(hosts, st.integers(1, 4), st.integers(0, 3), st.booleans())
def test_it_always_comes_to_an_end_and_never_works_on_more_than_it_may(given_hosts, at_once, stop_after, drain):
    rolling = Rolling(at_once, stop_after, drain)
    now = dict.fromkeys(range(len(given_hosts)), HostState.WAITING)
    working = {i: works for i, (_, works, _) in enumerate(given_hosts)}
    begun_after_limit = False
    for _ in range(6 * len(given_hosts) + 2):
        if is_over(list(now.values())):
            break
        failures = sum(state in FAILURES for state in now.values())
        seen = [ObservedHost(str(i), now[i], given_hosts[i][0], working[i]) for i in now]
        for move in moves(rolling, seen):
            begins = now[int(move.name)] is HostState.WAITING and move.state in AT_WORK
            begun_after_limit |= bool(begins and stop_after and failures >= stop_after)
            now[int(move.name)] = move.state
        assert sum(state in AT_WORK for state in now.values()) <= at_once
        first = next((i for i in now if now[i] in AT_WORK), None)
        if first is None:
            continue
        if now[first] is HostState.DRAINING:
            working[first] = False
        else:
            result = given_hosts[first][2]
            now[first] = outcome(result != "fails", ["x"] if result == "not there" else [])
    assert is_over(list(now.values()))
    assert not begun_after_limit
