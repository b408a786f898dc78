"""What the later kinds of questions answer. Part of sentences.py."""

from __future__ import annotations

from collections.abc import Mapping

# fmt: off
ASK_TEMPLATES: Mapping[str, str] = {
    # -- what the later kinds of questions answer
    "cool.carries":
        "The cooler carries {watts:span_unit} of package power under {die} in a room of {room}; a fifth under that, "
        "{pick} stays cool for ever.",
    "cool.always": "Every limit up to {highest}, the highest tried, stays under {die} in a room of {room}.",
    "cool.never":
        "No limit of this machine stays cool for ever: the cooler carries {watts:span_unit} under {die}, a fifth less "
        "is under the lowest limit of {least}.",
    "cool.hotter": "in a room of {room} the cooler carries {watts:span_unit}",
    "cool.hotter-too": "in a room of {room} too it carries all that was tried",
    "cool.rise": "at {watts} the die settles at {die:span_unit}",
    "cool.quiet": "{noise} is reached at {watts:span_unit}",
    "cool.noise": "near that limit the fan makes {noise}",
    "cool.settles": "it settles at {watts} under {die}, with {tried} tried: the machine takes back what is over that",
    "cool.passes": "{passes:settled pass|settled passes} behind it, without any voltage offset",
    "missing.cool-level": "a settled pass at another limit, which tells how the heat grows with the watts",
    "rest.most": "Of what was switched, {what:commas} draws most, over {watts:span_unit} with everything at its least.",
    "rest.none":
        "Nothing that was switched draws more than can be told, over {watts:span_unit} with all at their least.",
    "rest.part": "{what}: {watts:span_unit}, {minutes:span_unit} of runtime",
    "rest.watts": "{what}: {watts:span_unit}",
    "use.lasts": "This lasts longest at {setup}: {hours:hours_span} on a charge, drawing {watts:span_unit}.",
    "use.draw": "This draws least at {setup}: {watts:span_unit}.",
    "use.at": "{setup}: {hours:hours_span}, {watts:span_unit}",
    "use.draw-at": "{setup}: {watts:span_unit}",
    "use.job": "The job costs least at {setup}: {wh:span_unit} in {seconds:span_unit}.",
    "use.job-at": "{setup}: {wh:span_unit} in {seconds:span_unit} a job",
    "path.takes": "{panel} at {hz} takes {takes} uncompressed",
    "path.of-link": "{panel} at {hz} takes {takes} uncompressed: {share:share} of the link's {link}",
    "path.over": "{panel} at {hz} takes {takes} uncompressed, more than the link's {link}",
    "claim.confirmed":
        "Confirmed here: {after} changes {figure} by {by:span_unit} against {base}, where {claimed} is claimed.",
    "claim.larger":
        "Confirmed here, and more than claimed: {after} changes {figure} by {by:span_unit} against {base}, where "
        "{claimed} is claimed.",
    "claim.refuted":
        "Not true here: {after} changes {figure} by {by:span_unit} against {base}, where {claimed} is claimed.",
    "claim.open":
        "Cannot tell yet: {after} changes {figure} by {by:span_unit} against {base}, where {claimed} is claimed.",
    "claim.base": "the base is {base}: {figure} {value}",
    "claim.passes": "{passes:pass|passes} of both, all else equal",
    "claim.part": "of that {setting} makes {by:span_unit}",
    "claim.idle": "{setting} makes {by:span_unit} of it: it can be left out",
    "missing.shorter": "passes of the shorter recipe, {setup}",
    "claim.unread": "The passes do not tell {figure}: the claim cannot be judged by them.",
    "claim.none": "{why}",
    "charge.none": "No pass has gone through a whole charge yet.",
    "charge.lasts": "from full to the reserve it lasts {took:hours_span}",
    "charge.swings": "a readout of the moment says {low:hours_span} of the same charge, as the title stands or moves",
    "charge.same": "From {top:share} to {bottom:share} of charge nothing changes by more than 8 % of the power.",
    "charge.clamps":
        "With less charge the firmware gives less: {clamps:semicolons}. Measure between {top:share} and "
        "{window:share}.",
    "charge.clamp": "between {high:share} and {low:share} from {before} to {after}{frames}",
    "charge.frames": ", the rate by {by:signed}",
    "charge.frames-same": ", the rate as before",
    "charge.band":
        "from {top:share} to {bottom:share}: {fps}, {draw} drawn, {stutters:span} stutters a minute",
    "charge.band-frames": "from {top:share} to {bottom:share}: {fps}, {stutters:span} stutters a minute",
    "charge.collapses": "from {top:share} to {bottom:share} {collapses:span} collapses of the GPU clock a minute",
    "plugged.one": "All passes stand on one power source: there is nothing to compare.",
    "plugged.loses": "On the battery this plays worse than on the adapter: {what:commas}.",
    "plugged.gains": "On the battery this plays better than on the adapter: {what:commas}.",
    "plugged.same": "On the battery this plays as on the adapter.",
    "plugged.open": "Not decided yet between the battery and the adapter.",
    "plugged.regained":
        "{setup} on the battery regains {share:span_unit} of the {lost:n} frames that the battery loses",
    "plugged.charging": "while the battery is charged the rate changes by {by:span_unit}",
    "plugged.charging-same": "charging the battery takes no frames that can be told",
    "missing.other-source": "passes on the other power source",
    "missing.discharge": "one pass from a full charge to the reserve",
    "triage.gain": "{gain} to be gained on a charge: {setup} instead of {now}, by one short pass each.",
    "triage.little": "Little is to be gained here: {gain} on a charge by {setup} instead of {now}.",
    "triage.watts": "{setup} draws {less} less than now, by one short pass each.",
    "triage.none": "Nothing that was tried holds, not even {setup}.",
    "triage.way": "{setup}: {gain} on a charge, {sure:chance} that it holds",
    "triage.way-free": "{setup}: {gain} on a charge",
    "triage.way-watts": "{setup}: {watts}, {sure:chance} that it holds",
    "triage.way-plain": "{setup}: {watts}",
    "volt.gain":
        "{offsets} stood {minutes} under load and plays {gain:span_unit} more at the same limit. Set it by hand, if at "
        "all.",
    "volt.stands": "{offsets} stood {minutes} under load. Set it by hand, if at all.",
    "volt.untold": "whether it brings frames is not told from these passes",
    "volt.walking": "Nothing has stood its soak yet: {why}.",
    "volt.nothing": "No offset of this machine stood its soak.",
    "volt.little": "Only the first step stood its soak, and a step less than what stood is none: leave it at zero.",
    "volt.none": "No walk has begun yet.",
    "volt.fault": "a fault at {offsets}",
    "missing.volt": "the rest of the walk, the soak at its end among it",
    "runtime.none": "No whole charge was played yet.",
    "runtime.measured": "A whole charge lasts {took:hours_span}; what its passes predict is not known.",
    "runtime.true": "The prediction is true: {took:hours_span} were measured, {told:hours_span} predicted.",
    "runtime.wide":
        "Nothing speaks against the prediction, which is too wide to be called true: {took:hours_span} were measured, "
        "{told:hours_span} predicted.",
    "runtime.off":
        "The prediction is off by {off:signed}: {took:hours_span} were measured, {told:hours_span} predicted.",
    "runtime.used": "{used:share} of a charge was used in {hours:hours}",
    "runtime.evening": "an evening took {used:share} of a charge in {hours:hours}, by its readings",
    "evening.little": "The evening took {used:share} of a charge: {least:share} or more tell how long one lasts.",
    "evening.alone": "An evening of {hours:hours} took {used:share}: a charge lasts {took:hours_span}.",
    "evening.true":
        "An evening of {hours:hours} took {used:share}: a charge lasts {took:hours_span}, as predicted "
        "({told:hours_span}).",
    "evening.off":
        "An evening of {hours:hours} took {used:share}: a charge lasts {took:hours_span}, where {told:hours_span} were "
        "predicted ({off:signed}).",
    "runtime.above":
        "that is told from the charge above {clamp:share}: under it the firmware gives less, so that a charge lasts "
        "longer and plays less",
    "missing.runtime": "ordinary passes at this setup, which predict its hours",
    "missing.claim": "about {pairs:more pair|more pairs} of passes",
    # -- blind tests
    "missing.looks": "{looks:more blind look|more blind looks}, if it goes on like this",
    "feels.at": "It begins to feel bad to you under {rate:span_unit} ({looks:blind look|blind looks}).",
    "feels.at-most": "It begins to feel bad to you somewhere under {rate}; how far under, the rates tried do not tell.",
    "feels.at-least": "At every rate that was tried it feels bad to you: what you want lies over {rate}.",
    "feels.late":
        "It begins to feel bad to you from {share:span_unit} of late frames on, at a cap of {cap:n} "
        "({looks:blind look|blind looks}).",
    "feels.late-more": "You bear {share} of late frames at a cap of {cap:n}; with more it was not tried enough.",
    "feels.late-less": "Even {share} of late frames are felt at a cap of {cap:n}; with fewer it was not tried.",
    "feels.nowhere":
        "Your keys do not tell from when on it feels bad: they say the same at all that was tried "
        "({looks:blind look|blind looks}).",
    "feels.few": "Not told yet: {looks:blind look|blind looks} so far.",
    "feels.counts": "the key was pressed in {bad} of {looks:blind look|blind looks}",
    "feels.mistaken": "in the best third of them, where hardly anything can feel bad, in {bad} of {looks}",
    # -- stills
    "picture.none":
        "No stills yet: add screenshots of one spot, one a set-up, to its passes (Read, Stills), and how alike they "
        "look stands here.",
    "picture.one": "Only {best} has stills: add one of the same spot at another set-up.",
    "picture.like": "{name} looks {like:span_unit} like {best} ({pairs:pair|pairs} of stills)",
    "picture.refused": "{name}: {why}",
    "picture.elsewhere": "{name} has stills, but of no scene of which {best} has one",
    "picture.order": "{more} looks more like {best} than {less}, which stands before it in your order",
    "picture.pair": "The right one looks {like:span_unit} like the left one, by structural similarity.",
    # -- all scenes of a title
    "scenes.hours":
        "over your mix of scenes a charge lasts {hours:hours_span} ({share} of your time was measured)",
    "scenes.heaviest": "in {scene}, the heaviest, it holds {target:n} with {sure:chance}",
    "scenes.heaviest-untold":
        "in {scene}, the heaviest, it was not measured: whether it holds {target:n} there is open",
    "scenes.lacking": "not measured at it: {scenes:commas}",
    # -- what a full charge gives
    "battery.untold":
        "What a full charge gives is told from passes on the battery that read power and charge: none used enough of a "
        "charge yet.",
    "battery.month":
        "{month}: a full charge gives {full:span_unit} ({passes:pass|passes}, {used} of a charge used)",
    "battery.changed": "From {first} to {last} that changed by {by:span_unit}.",
    "battery.unchanged": "From {first} to {last} no change can be told ({by:span_unit}).",
    # -- sizes of a render
    "size.full": "pixel for pixel",
    "size.whole": "evenly: {times:panel pixel|panel pixels} a side for each",
    "size.borders": "pixel for pixel, {border:pixel|pixels} dark on either side",
    "size.uneven": "stretched: some pixels wider than others",
}
# fmt: on
