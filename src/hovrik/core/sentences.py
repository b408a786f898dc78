"""Every sentence the program can write about what was measured: a template an id. English; the window translates them.

How places are written stands in words.py (`render`). Checks first, then settled heat, groups and marks, the answer.
"""

from __future__ import annotations

from collections.abc import Mapping

# fmt: off
TEMPLATES: Mapping[str, str] = {
    # -- a pass as a whole
    "said": "{text}",
    "outcome": "{reason}",
    "outcome.do": "Run the pass again.",
    "damaged": "{what}",
    "damaged.do": "Restore a copy of the notebook, or run the pass again.",
    "summary-only": "summary only: nothing to check",
    "not-binding": "limit not binding: took {took} of {limit}",
    # -- checks: evidence, then what to do
    "reads-otherwise": "{knob} reads {read}, {asked} was asked",
    "read-back-otherwise": "{knobs:semicolons}",
    "read-back-otherwise.do":
        "Check whether another tool or a power mode sets it, and whether the machine offers that value.",
    "empty-pass": "{frames:no frame|one frame|frames} in {seconds} between the marks",
    "empty-pass.do": "Check that the log ran and that the end mark was not set too early; run it again.",
    "limit-exceeded": "mean package power {took} at a static limit of {limit} (allowed {allowed})",
    "limit-exceeded.do": "Pin sustained, short and peak limits to the same value and check what the machine takes.",
    "boosted": "took {took} on average over its sustained limit of {limit}: the boost window is not over",
    "boosted.do": "Set all three limits to the same value, or soak until the window is over.",
    "throttled": "die at its {limit} limit for {time:share} of the pass",
    "throttled.do": "Let it cool down longer, raise the fan, or treat this limit as above what the cooler carries.",
    "unsettled": "{what} drifts by {drift:signed} over the pass ({errors:n} standard errors)",
    "unsettled.do": "Soak longer before the start mark.",
    "time-gaps": "{missing} of {seconds} without a frame in {gaps:gap|gaps}",
    "time-gaps.do": "Check the frame logger, and that the machine did not suspend; run the pass again.",
    "charge-out-of-window": "charge {charge}, passes count from {low:n} to {high}",
    "charge-out-of-window.do": "Recharge, unplug, and run it again: firmware cuts clocks at low charge.",
    "clamp-hit": "package power steps from {high:n} to {low} and stays there",
    "clamp-hit.do":
        "Look at charge, source and temperature at that moment; run it again inside the valid charge window.",
    "clamp-at": "package power steps from {high:n} to {low} at a charge of {charge} and stays there",
    "clamp-at.do":
        "Passes under that charge do not count. Recharge, set the charge in which passes count from above it, and run "
        "it again.",
    "under-clamp": "ended at {charge}, where package power was seen to step down at {clamp}",
    "under-clamp.do": "Recharge and run it again: firmware cuts power at low charge.",
    "adapter-changed": "plugged in for {time:share} of the pass",
    "adapter-changed.do": "Leave the adapter as it is for the whole pass and run it again.",
    "drain-while-plugged": "the battery gives {watts} although plugged in",
    "drain-while-plugged.do": "Use a stronger adapter or a lower limit: this does not last.",
    "variable-refresh-off":
        "{frames:share} of frames end on ticks of {refresh}: variable refresh seems to be off",
    "variable-refresh-off.do": "An overlay may have switched it off: close it, check, and run it again.",
    "cap-against-refresh": "a cap of {cap:n} on {refresh} alternates between intervals",
    "cap-against-refresh.do": "Choose a refresh that is a whole multiple of {cap:n}, or another cap.",
    "memory-full": "{used:n} of {pool} graphics memory used",
    "memory-full.do": "Lower the textures or give the GPU a larger split; more watts do not help.",
    "shaders-compiling": "long frames become fewer after {frames:frame|frames}",
    "shaders-compiling.do": "Play the scene once, then run it again.",
    "wrong-length": "lasted {seconds} instead of {wanted}",
    "wrong-length.do": "Set the marks right, or run it again.",
    "background-load": "other programs used more than {percent} of the CPU for {time:share} of the pass",
    "background-load.do": "Wait for updates and indexing, then run it again.",
    "clock-collapse": "GPU clock under half of its usual {usual} for {seconds}",
    "clock-collapse.do":
        "On battery this happens at random on some machines: run it again, note it where it comes back.",
    "suspended": "nothing was recorded for {seconds}: suspend, or the lid",
    "suspended.do": "Switch automatic sleep off and run it again.",
    "title-ended": "no frame in the last {seconds} of the pass",
    "title-ended.do": "Note what happened. A setup at which a title crashes is not recommended.",
    "dynamic-resolution":
        "{frames:share} of frames take {interval} without a cap: the title seems to hold one rate by itself",
    "dynamic-resolution.do":
        "Turn the title's own scaling off and cap from outside: what is rendered is not what is set.",
    "slow-stretches": "for {seconds}, first at {at}, frames took {longer:n} times as long as those around them",
    "slow-stretches.do": "Close what else runs and run it again; what comes back at the same place is the scene.",
    "frames-lost": "{frames:frame|frames} took just twice as long as those around: the logger left rows out",
    "frames-lost.do": "Log to a faster disk or with fewer columns, then run it again.",
    "recurs": "in most passes of this scene: {what}",
    "focus-lost": "another window was in front",
    "focus-lost.do": "Keep out of the way and run it again.",
    # -- over many passes
    "pooled-unknown": "{what}: not told by {passes:pass|passes}, taken to be the same",
    "launched-apart":
        "every level has one launch of its own ({passes:pass|passes} of {launches:launch|launches}): a difference may "
        "be that of the launches, so spread repeats over launches",
    "differ": "passes differ in {what}: kept apart",
    "rooms-differ": "rooms differ by {by}: temperatures are not comparable",
    "surprise": "its {figure} lies {off} {side} the others at {level}; repeat it before believing it",
    "dent": "{size} {side} the curve and its neighbours: an edge or dent, not noise",
    "dent-maybe": "{size} {side} the curve and its neighbours: repeat it before believing it",
    "lies": "{level} lies {what}",
    "a-pass": "one pass stands out: {what}",
    "above": "above",
    "below": "below",
    # -- marks
    "mark.first_playable": "first playable ({target:n} held)",
    "mark.best_per_watt": "best frames per watt of {power}",
    "mark.last_paying": "last watt that pays ({price:n} fps a watt of {power})",
    "mark.ceiling": "ceiling (within 2 % of the top)",
    "mark.lowest-holds": "the lowest limit tried already holds",
    "mark.none-holds": "nothing tried holds",
    "mark.at-lowest": "at the lowest limit tried, so it may lie below",
    "mark.at-highest": "at the highest limit tried, so it may lie above",
    "mark.none-pays": "no watt tried buys that much",
    "mark.all-pay": "every watt tried still pays",
    "mark.along": "the curve lies along the price, so it is a range and no point",
    "mark.rising": "still rising at the highest limit tried, so it may lie above",
    "mark.says": "{mark}: {note}",
    # -- the answer
    "no-passes": "No passes answer this yet. Plan a sweep and start it in Bench, or import passes.",
    "no-passes-void":
        "No passes answer this yet. {passes:pass is|passes are} void. Plan a sweep and start it in Bench, or "
        "import passes.",
    "no-level": "{passes:pass counts|passes count}, but none tells its {factor}.",
    "missing.level": "passes that tell their {factor}",
    "no-figure": "Cannot say what holds {target:n}: these passes carry no {figure}. Type it in with each pass.",
    "missing.figure": "the {figure} of each pass",
    "missing.passes": "passes of this title, scene, OS slot and source",
    "unknown-kind":
        "This notebook asks a question of a kind that this version does not know ({kind}). It is kept as it is; "
        "update Hovrik, or ask another one.",
    "holds": "{setup}: holds {target:n} ({figure}, {low:span}, {passes:pass|passes}, {sure:chance} sure)",
    "holds-inside":
        "{setup}: holds {target:n} ({figure}, {low:span}, {passes:pass|passes} a level, "
        "{sure:chance} sure)",
    "from-full": "{hours:hours_span} from full",
    "from-charge": "{hours:hours_span} from {charge:share}",
    "of-100": "of 100 such passes about {passes:n} would hold it",
    "settled": "{die:span_unit} settled",
    "step-less": "{step} less ({level})",
    "step-more": "{step} more ({level})",
    "stated": "{parts:commas}. {steps:sentence}",
    "stated-alone": "{parts:commas}.",
    "two-sentences": "{one} {other:sentence}",
    "chosen": "{setup} ({passes:pass|passes}, no floor is asked for)",
    "holds-share":
        "{setup}: holds {target:n} ({share:share} of frames fall short, {passes:pass|passes}, {sure:chance} sure)",
    "low-of": "1 % low, {school}",
    "low-in": "1 % low ({school})",
    "low-alone": "1 % low",
    "low-predicted": "1 % low predicted from the mean rate",
    "figure.mean": "mean rate",
    "figure.low_0_1pct": "0.1 % low, {school}",
    "figure.score": "score",
    "figure.time": "time of the job",
    "figure.none": "figure",
    "slow-share": "share of frames that fall short",
    "less-misses": "{step} misses {missed:share} of frames",
    "less-drops": "{step} falls short ({low:span})",
    "less-open": "{step} is not settled ({sure:chance} that it holds)",
    "less-unjudged": "{step} has no low to judge",
    "less-untried.limit": "it is the lowest limit tried, so less may hold as well",
    "less-untried.level": "it is the lowest level tried, so less may hold as well",
    "more-brings": "{step} brings {frames:n} frames{costs}",
    "more-nothing": "{step} buys nothing you asked for{costs}",
    "costs-hours": " and costs {hours:hours}",
    "costs-watts": " and draws {watts} more",
    "gives-hours": " and gives {hours:hours} more",
    "costs-none": " and draws the same as far as can be told",
    "costs-unknown": "",
    "missing.hours-draw": "hours: no battery draw was recorded",
    "missing.hours-battery": "hours: the rig's battery energy is unknown",
    "missing.settled": "settled temperature: {why}",
    "missing.close": "{levels} lies too close to the floor to be settled by twenty more passes",
    "missing.close-several": "{levels} lie too close to the floor to be settled by twenty more passes",
    "missing.settle": "about {passes:more pass|more passes} at {levels} would settle it",
    "missing.settle-each": "about {passes:more pass|more passes} each at {levels} would settle it",
    "missing.frames-settle": "frame times of passes at {levels} would settle it, and not their means alone",
    "missing.frames": "frame times for the {figure}",
    "missing.limits": "limits above {level}, or a lower floor",
    "missing.limits-to": "limits above {level} (the rig allows {top}), or a lower floor",
    "missing.top": "another cap or a lower floor: {level} is the most that the rig allows",
    "missing.cap": "a higher cap than {cap:n}, under which no limit can hold {target:n}, or a lower floor",
    "missing.levels": "levels above {level}, or a lower floor",
    "try": "Try {what}.",
    "no-low":
        "Cannot say what holds {target:n}: these passes carry no {figure} (summary figures, or fewer than 100 "
        "frames). Frame times of each pass are needed.",
    "none-holds":
        "Nothing tried holds {target:n}: the best, {level}, has a {figure} of {low:span}.",
    "not-settled": "Not settled yet: {level} holds {target:n} with {sure:chance}, and {asked:chance} is asked for.",
    "missing.refine": "a finer look: the lowest watts, searched pass by pass",
    "missing.other-level": "passes at another level",
    "missing.undecided": "more passes for the {figure}",
    "bound.kept": "{figure} {value:span_unit}, asked for at most {bound}",
    "bound.unknown": "{figure} is not known, so that {bound} at most was not judged",
    # -- other questions
    "now": "{parts:commas}.",
    "now.rate": "{value:span} frames a second on average",
    "now.low": "a 1 % low of {value:span}",
    "now.draw": "{value:span} W drawn",
    "now.nothing": "the pass carries neither frames nor watts",
    "rule.cap": "the cap of {cap:n} is reached: nothing but the cap limits the rate",
    "rule.limit": "package power stands at its limit of {limit}: more watts would bring more frames",
    "rule.gpu": "the GPU is busy for {share} of the time: it limits the rate, not the watts",
    "rule.spare": "of a limit of {limit} only {took} are taken: the limit does not bind",
    "rule.unseen": "{rate:n} frames a second are rendered and {refresh} are shown: a cap at the refresh saves watts",
    "rule.hot": "the die stands at {die}, near its limit of {limit}: cool it before more watts are tried",
    "buys.to":
        "Up to {level} each watt brings {price:n} frames a second or more ({span:span_unit}); there the mean rate is "
        "{rate:span}.",
    "buys.nothing": "From {level} up no watt brings {price:n} frames a second.",
    "versus.one": "All passes stand at one level of {factor}: there is nothing to compare.",
    "versus.better-than": "{a} is better than {b}: {what:commas}.",
    "versus.holds-floor": "it alone holds the floor",
    "versus.all-same": "{a} and {b} are the same for your purpose.",
    "versus.open": "Not decided yet between {a} and {b}.",
    "versus.confounded-by":
        "No verdict on {factor}: the passes of its levels differ in {beside} as well. Measure them with all else "
        "equal.",
    "versus.figure": "{what}: {verdict}",
    "versus.by": "{figure} {by:span_unit} {side}",
    "versus.about": "{figure} about {by} {side}",
    "versus.higher": "higher",
    "versus.lower": "lower",
    "versus.better": "better",
    "versus.worse": "worse",
    "versus.same": "no practical difference",
    "versus.undecided": "not decided",
    "versus.confounded": "confounded",
    # -- counts, cautions
    "passes-count": "{passes:pass counts|passes count} at {levels:limit|limits}",
    "passes-count-over": "{passes:pass counts|passes count} at {levels:level|levels} of {factor}",
    "void-left-out": "{passes:void pass|void passes} left out",
    "suspect-count": "{passes:suspect pass counts|suspect passes count}",
    "incidents": "{level} is not recommended: {incidents:incident|incidents} at this setup",
    "plain-division":
        "plain division of a full battery gives {hours:hours}: it counts what is lost inside at {draw} and the "
        "{reserve:share} in reserve",
    "plain-division-all":
        "plain division of a full battery gives {hours:hours}: it counts what is lost inside at {draw}",
    "tolerance": "a low may lie {share:share} under the floor: {edge:n} is enough for {target:n}",
    "hot-room": "in a room of {room} the die would settle near {die}",
    "hot-room-below": "in a room of {room} the die would settle near {die}, under its limit of {limit}",
    "hot-room-may": "in a room of {room} the die would settle near {die} and may throttle at {limit}",
    "hot-room-may-at":
        "in a room of {room} the die would settle near {die} and may throttle at {limit}; up to {watts} of package "
        "power it would not",
    "hot-room-throttles": "in a room of {room} the die would throttle at {limit}",
    "hot-room-throttles-at":
        "in a room of {room} the die would throttle at {limit}; up to {watts} of package power it would not",
    "hot-room-shell":
        "in a room of {room} the shell would be near {shell}: more than the {limit} that skin bears for {held:hours}",
    "touch": "shell near {shell}: skin bears {limit} for {held:hours}",
}
