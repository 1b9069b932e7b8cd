"""What is worked out once: by which value it was, and for how long it is kept."""

from __future__ import annotations

import gc
import weakref

import pytest

from bibulon.core.cure.field import field_of
from bibulon.core.flow.forecast import Forecast, Resolution, forecast
from bibulon.core.flow.lead import lead_at_mesh_end
from bibulon.core.library.demo import demo_job
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.mould.closing import closing_of
from bibulon.core.mould.mould import mould_of
from bibulon.core.mould.parting import parted_of
from bibulon.core.resin.charge import charge
from bibulon.core.run.schedule import schedule_of
from bibulon.core.run.youngest import youngest_cure
from bibulon.core.units.remember import by_identity, kept_with


class Owner:
    pass


def counted(remembered):
    calls = []

    @remembered
    def answer(*args):
        calls.append(args)
        return [args]

    return answer, calls


def test_equal_values_are_not_the_same_value():
    answer, calls = counted(by_identity(1, 4))
    a, b = [1], [1]
    assert answer(a) is answer(a)
    assert answer(a) is not answer(b)
    assert answer(a, 1) is not answer(a, 2)
    assert len(calls) == 4


def test_the_oldest_answer_goes_first():
    answer, calls = counted(kept_with(0, 2, 2))
    owner, others = Owner(), [[], [], []]
    first = answer(owner, others[0])
    for other in others:
        answer(owner, other)
    assert len(calls) == 3
    assert answer(owner, others[2]) is not answer(owner, others[0]) is not first
    assert len(calls) == 4


def test_functions_of_one_name_keep_their_answers_apart():
    owner = Owner()
    one, two = (kept_with(0, 1, 1)(lambda _, n=n: n) for n in (1, 2))
    assert (one(owner), two(owner), one(owner)) == (1, 2, 1)


def test_an_answer_ends_with_its_owner_even_where_it_holds_it():
    answer, calls = counted(kept_with(1, 2, 4))
    owner = Owner()
    gone = weakref.ref(owner)
    assert answer([], owner)[0][1] is owner
    calls.clear()
    del owner
    gc.collect()
    assert gone() is None


@pytest.mark.parametrize("made", [demo_job, mould_demo_job])
def test_nothing_that_is_worked_out_from_a_forecast_keeps_it(made):
    job = made()
    passed = forecast(job, Resolution(250, 1, 5))
    lead_at_mesh_end(passed)
    schedule_of(job, charge(job), passed)
    field_of(passed, job.cure)
    youngest_cure(job, passed)
    if job.process != "infusion":
        assert mould_of(job, passed) is mould_of(job, passed)
        closing_of(job, passed)
        parted_of(job, passed)
    del passed
    gc.collect()
    assert not [o for o in gc.get_objects() if isinstance(o, Forecast) and o.job is job]
