"""What other titles tell of a rig, and twins that are kept from one start to the next."""

import math
from dataclasses import replace

import numpy as np
import pytest
from helpers.build import QUESTION, of_figures

from hovrik.core.facts.knob import CAP, LIMITS
from hovrik.core.facts.setup import Setup, static
from hovrik.core.model import known_rig
from hovrik.core.model.known_rig import KnownTitle, learned, twins_of
from hovrik.core.model.twins import Places, rigs_of, twins
from hovrik.core.passes.figures import PassFigures
from hovrik.core.plan.designs import design_from, design_to
from hovrik.core.plan.lengths import Lengths
from hovrik.core.plan.search.design import SearchDesign
from hovrik.core.plan.search.goal import Goal
from hovrik.service import known_titles
from hovrik.service.twin_cache import use_cache
from hovrik.store.notebook import Notebook
from hovrik.store.twin_files import TwinFiles

SETUPS = tuple(
    Setup({**static(limit, cap), "boost": boost})
    for limit in (8.0, 11.0, 14.0, 17.0) for cap in (40.0, "none") for boost in ("off", "on")
)  # fmt: skip
NAMES = ("low", "rate", "draw", "rise")


def played(seed, target, rig):
    """What a title of a machine would measure at each of SETUPS, logs."""
    made = twins(Places.of(SETUPS, 17.0), target, seed, 1, rig, 17.0)
    return {name: tuple(made.of(name)[0].astype(float).tolist()) for name in NAMES}


@pytest.mark.parametrize("seed", [5, 7])
def test_machines_that_explain_another_title_are_taken(seed):
    """Of the draw at 14 W and of the heat more is known than before; a part stays as wide as it was."""
    rig = rigs_of(np.random.default_rng(seed), 1, 17.0)
    known = KnownTitle(40.0, SETUPS, **played(seed, 40.0, rig))
    found, prior = learned((known,), 17.0, {}, 1, 2000), rigs_of(np.random.default_rng(1), 2000, 17.0)
    for what in (lambda one: one.base_w + 14.0 * one.loss, lambda one: one.heat * 14.0**one.heat_power + one.idle):
        before, after = (np.abs(np.log(what(one) / what(rig))) for one in (prior, found))
        assert np.median(after) < 0.65 * np.median(before) and after.max() > 2 * np.quantile(after, 0.8)


def test_what_is_told_is_kept_with_the_plan():
    rows = played(3, 40.0, rigs_of(np.random.default_rng(5), 1, 17.0))
    known = KnownTitle(40.0, SETUPS, **{**rows, "rise": (math.nan,) * len(SETUPS)})
    assert KnownTitle.from_dict(known.as_dict()) == known and hash(KnownTitle.from_dict(known.as_dict())) == hash(known)
    design = SearchDesign({"boost": ("off", "on")}, static(12.0), Goal(), 17.0, Lengths(), known=(known,))
    assert design_from({"design": design_to(design)}) == design


def test_only_passes_that_twins_can_be_held_against_are_told():
    def passes(count, setup):
        values = {"low_1pct_fps_percentile": 41.0, "mean_fps": 45.0, "draw_w": 19.0, "die_c": 60.0}
        return [of_figures(f"p{n}", setup, PassFigures(values=values)) for n in range(count)]

    plain, capped = Setup({**static(12.0), "boost": "off", "preset": "low"}), Setup({**static(12.0), CAP: 60.0})
    no_limit = Setup(boost="on")
    found = known_titles.told_by([passes(2, plain), passes(4, plain), passes(5, capped), passes(6, no_limit)])
    assert [(one.target_fps, len(one.setups)) for one in found] == [(60.0, 5), (41.0, 4)]
    assert "preset" not in found[1].setups[0] and found[1].setups[0]["boost"] == "off"
    assert found[1].rise[0] == pytest.approx(math.log(60.0 - 23.0))


def test_another_title_of_the_rig_is_found_and_kept(tmp_path, demo_copy):
    with Notebook(demo_copy) as notebook:
        (own,) = {(place[0], place[1], place[2]) for place in notebook.places()}
        asked = QUESTION.with_(rig=own[0], slot=own[1].partition("/")[2], title="another", scene="stretch")
        (found,) = known_titles.questions(notebook, asked)
        assert found.keys["title"] == own[2]
        assert known_titles.questions(notebook, asked.with_(title=own[2])) == []
        assert known_titles.kept(notebook, "plan") is None
        known_titles.keep(notebook, "plan", ())
        assert known_titles.kept(notebook, "plan") == ()
        good = KnownTitle(40.0, SETUPS[:1], (3.0,), (3.1,), (2.9,), (3.2,)).as_dict()
        for spoiled in ({"setups": 3}, {**good, "low": [1.0, 2.0]}, {**good, "setups": []}, {**good, "target_fps": -1}):
            notebook.set_state("known/plan", [spoiled])
            assert known_titles.kept(notebook, "plan") is None


@pytest.fixture
def few(monkeypatch):
    monkeypatch.setattr(known_rig, "COUNT", 40)
    monkeypatch.setattr(known_rig, "kept", [])
    twins_of.cache_clear()
    yield
    twins_of.cache_clear()


def test_twins_are_kept_in_a_folder_and_made_anew_where_that_fails(tmp_path, few, monkeypatch):
    made = twins_of(SETUPS, 40.0, 17.0)
    use_cache(tmp_path / "twins")
    calls = []
    honest = known_rig.twins
    monkeypatch.setattr(known_rig, "twins", lambda *a, **k: calls.append(1) or honest(*a, **k))

    def again():
        twins_of.cache_clear()
        found = twins_of(SETUPS, 40.0, 17.0)
        assert (found.free == made.free).all() and (found.of("rise") == made.of("rise")).all()
        return len(calls)

    assert again() == 1 and again() == 1
    (file,) = (tmp_path / "twins").iterdir()
    for spoiled in (b"", b"PK\x03\x04 nonsense", file.read_bytes()[:400]):
        file.write_bytes(spoiled)
        before = len(calls)
        assert again() == before + 1 == again()
    np.savez(file, free=np.zeros(3))
    before = len(calls)
    assert again() == before + 1
    (tmp_path / "a file").write_text("")
    known_rig.kept[:] = [TwinFiles(tmp_path / "a file")]
    assert again() == before + 2  # cannot be written: costs time only


def test_the_oldest_twins_go_first(tmp_path, few):
    keeper = TwinFiles(tmp_path, most_bytes=60_000)
    make = lambda: twins_of(SETUPS, 40.0, 17.0)  # noqa: E731
    for number in range(12):
        keeper(f"{number:02}", make)
    left = sorted(file.stem for file in tmp_path.glob("*.npz"))
    assert 1 <= len(left) < 12 and left[-1] == "11" and sum(f.stat().st_size for f in tmp_path.iterdir()) <= 60_000
    assert set(LIMITS) <= set(SETUPS[0]) and replace(make()).size == 40
