"""OS slots over all titles: matched title by title, pooled as statsmodels pools, and what cannot be matched named."""

import numpy as np
import pytest
from helpers.build import DEMO_QUESTION, trace_of, wandering
from helpers.window import opened
from statsmodels.stats.meta_analysis import combine_effects

from hovrik.core.stats.ratios import pooled_ratio
from hovrik.service.imports import one as imports
from hovrik.service.memory import Cancelled
from hovrik.service.over_titles import over_titles
from hovrik.store.files.read.frame_log import Imported
from hovrik.store.notebook import Notebook

TITLES = {("saltmarsh-couriers", "causeway"): 0.95, ("tin-orchard", "grove"): 0.99, ("granary-ledger", "harvest"): 0.92}


def test_pooling_against_statsmodels():
    """LIB: combine_effects, DerSimonian and Laird with the Hartung-Knapp error."""
    logs, ses = np.array([0.05, 0.11, -0.02, 0.30]), np.array([0.02, 0.03, 0.02, 0.04])
    made, other = pooled_ratio(logs, ses), combine_effects(logs, ses**2, method_re="dl", use_t=True)
    assert made.log == pytest.approx(other.mean_effect_re, rel=1e-6)
    assert made.between**2 == pytest.approx(other.tau2, rel=1e-6)
    assert made.se == pytest.approx(other.sd_eff_w_re_hksj, rel=1e-6)
    assert pooled_ratio([0.1], [0.01]) is None and made.next_one[0] < made.estimate.low


@pytest.fixture
def notebook(demo_copy):
    with Notebook(demo_copy) as found:
        for at, ((title, scene), gain) in enumerate(TITLES.items()):
            for slot, factor in (("sedge", 1.0), ("fennmark", gain)):
                asked = DEMO_QUESTION.with_(title=title, scene=scene, slot=slot)
                for number in range(2):
                    interval = wandering(60, 50 * factor, wander=0.01, seed=10 * at + number)
                    trace = trace_of(interval, battery_w=18.0 + factor)
                    told = imports.conditions_from(asked, {"room_c": "22"})
                    knobs = imports.knobs_on_offer(found, asked)
                    setup = imports.setup_from({"limit_w": "20", "cap_fps": "none"}, knobs)
                    imports.import_trace(found, asked, Imported(trace, trace.frames_ns, ()), setup, told)
    return demo_copy


def test_slots_over_all_titles(notebook, qtbot):
    with Notebook(notebook) as own:
        found = over_titles(own, DEMO_QUESTION, "slot", "sedge", "fennmark")
        for title, gain in zip(("Saltmarsh Couriers", "Tin Orchard", "Granary Ledger"), TITLES.values(), strict=True):
            rate = next(r for r in found.rows if r.title == title and r.found).found["mean_fps"]
            assert rate.percent[1] - 0.6 <= 100 * (1 / gain - 1) <= rate.percent[2] + 0.6
        rate = found.pooled["mean_fps"].estimate
        assert rate.low < 100 * (1 / 0.953 - 1) < rate.high and rate.n == 3
        refused = next(row for row in found.rows if "service refuses" in row.why)
        assert not refused.found
        with pytest.raises(Cancelled):
            over_titles(own, DEMO_QUESTION, "slot", "sedge", "fennmark", lambda: False)
    with opened(notebook, qtbot) as window:
        window.show_stage("Read")
        qtbot.waitUntil(lambda: window.session.evaluation is not None, timeout=20_000)
        page = window.stage("Read").compare
        window.stage("Read").pages.show_page("Compare")
        page.what.setCurrentIndex(page.what.findData("slot"))
        qtbot.waitUntil(lambda: page.titles.found is not None, timeout=30_000)
        last = page.titles.table.rowCount() - 1
        assert page.titles.table.item(last, 0).text() == "All titles" and "3 titles" in page.titles.words.text()
        page.what.setCurrentIndex(page.what.findData("rig"))
        assert page.titles.factor == "rig"
        qtbot.waitUntil(lambda: page.titles.found is not None, timeout=30_000)
        assert "Two titles measured in both are needed" in page.titles.words.text()
