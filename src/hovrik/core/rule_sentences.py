"""What the rules over many passes say: of each what is found, and with ".do" what to do. Part of sentences.py."""

from __future__ import annotations

from collections.abc import Mapping

# fmt: off
RULE_TEMPLATES: Mapping[str, str] = {
    # -- rules over many passes
    "rule.none": "",
    "rule.at": "at {level}",
    "rule.from-to": "from {first} to {last}",
    "rule.waits.cap": "{levels} frames wait for the cap ({share} of them)",
    "rule.waits.panel": "{levels} frames wait for the panel: it shows no more",
    "rule.waits.engine": "{levels} the title holds a rate of its own by rendering fewer pixels",
    "rule.waits.pool": "{levels} graphics memory is full: that is what frames wait for, and not watts",
    "rule.waits.mixed": "{levels} frames wait for CPU and GPU in turn",
    "rule.waits.cpu": "{levels} frames wait for the CPU, held down by {by}",
    "rule.waits.gpu": "{levels} frames wait for the GPU, held down by {by}",
    "rule.waits.bandwidth":
        "{levels} frames wait for memory: the GPU is busy and the rate does not follow its clock ({by})",
    "rule.beside": "beside this question, with {setup}, {level} holds {target:n} too",
    "rule.beside-asked": "beside this question, passes of another one hold {target:n} at {level}",
    "rule.beside.do": "Ask for the best setup: it weighs every one of them.",
    "rule.held.limit": "the power limit",
    "rule.held.heat": "heat",
    "rule.held.clamp": "a clamp of the firmware at this charge",
    "rule.held.ceiling": "its own highest clock, and not by watts",
    "rule.held.nothing": "nothing else",
    "rule.held.untold": "something that these channels do not show",
    "rule.waits.limit.do": "More watts bring frames here; boost off may leave the GPU more of them.",
    "rule.waits.ceiling.do": "More watts bring nothing here: a lower limit keeps the same frames.",
    "rule.waits.heat.do": "Cool it, or lower the limit to what the cooler carries.",
    "rule.waits.clamp.do": "Measure above that charge.",
    "rule.cap-never-reached":
        "a cap of {cap:n} does nothing: {best:n} frames are reached at most, and a cap under that would save watts",
    "rule.cap-never-reached.do": "Try a cap that the panel shows evenly under the rate that is reached.",
    "rule.cap-just-reached":
        "{levels}: {share:span_unit} of frames keep the cap of {cap:n}, the others wait for what renders them",
    "rule.cap-just-reached.do": "A step more watts, or the next lower cap, makes the pace even.",
    "rule.stutters":
        "{levels}: {often} stutters a minute pull the low down to {slow} while the mean is {mean}: it is not the rate"
        "{cause}",
    "rule.stutters.used": "; graphics memory is full ({used} of {pool})",
    "rule.stutters.wants": "; the title wants {needs} of graphics memory and there are {pool}",
    "rule.stutters.spare": "; memory is not the reason ({used} of {pool} used)",
    "rule.stutters.memory.do": "Lower the textures or give graphics a larger share of memory; more watts do not help.",
    "rule.stutters.other.do":
        "More watts do not help. Play the scene once more with shaders compiled; then look at what else runs.",
    "rule.memory-clock":
        "the memory clock goes from {clock} to {clock_then} between {first} and {then}, where the rate leaves its "
        "curve",
    "rule.memory-clock.do": "Stay on the side of the higher memory clock, or ask for a limit that keeps it.",
    "rule.never-runs": "{title} never started in {slot} ({passes:pass|passes} tried: {why})",
    "rule.never-runs.do": "Note it of the system: comparisons and campaigns then say so and do not ask again.",
    "rule.cap-uneven": "a cap of {cap:n} on {refresh} is shown unevenly: frames stay for one tick, then for two",
    "rule.cap-uneven.do": "Choose a refresh that is a whole multiple of {cap:n}, or another cap.",
    "rule.refresh-unused": "a refresh of {refresh} shows a cap of {cap:n} no better than {lower} would, and draws more",
    "rule.refresh-unused.do": "Set the panel to {lower} on battery.",
    "rule.rendered-not-shown":
        "at {level} {rate:n} frames a second are rendered and {refresh} are shown: the rest is watts for nothing",
    "rule.rendered-not-shown.do": "Cap at the refresh.",
    "rule.generated":
        "at {level} {shown:n} frames are shown and {rendered:n} rendered: that adds about {delay:span_unit} of delay, "
        "{method}",
    "rule.generated.reckoned": "by reckoning",
    "rule.generated.counted": "by {counts:count|counts} on slow motion ({added:span_unit} at {at:n} rendered)",
    "rule.generated.do": "Count frames on a slow-motion recording if delay matters; look at fast motion.",
    "rule.felt-late.do":
        "Let as many frames be late in the question, or a few less: with these every second look felt bad.",
    "rule.felt.do": "Take it as the floor of the question, or one a little over it: every second look felt bad here.",
    "rule.sync-locked": "{slot} has sync locked on: no rate over the panel's can be measured there",
    "rule.overlay-stops-variable": "{overlay} switches variable refresh off: motion is choppy though the rate is high",
    "rule.overlay-stops-variable.do": "Play and measure without it.",
    "rule.gauge-off":
        "by what was drawn and what the gauge went down by, a full charge gives {told:span_unit} where {noted} are "
        "noted",
    "rule.gauge-off.do": "Note in Rig what a full charge holds now; or one of the two meters is off.",
    "rule.limit-loose": "from {level} the limit does not bind: the title takes {took} at most",
    "rule.preset": "the preset {name} ({watts})",
    "rule.preset.short": "{preset} lies {by} under what the floor needs",
    "rule.preset.past": "{preset} lies {by} past the last watt that pays",
    "rule.preset.right": "{preset} lies between what the floor needs and the last watt that pays",
    "rule.adapter-small": "presets made for an adapter of {wants}, which this one ({has}) is not: {modes:commas}",
    "rule.draw-beside":
        "at {level} {share} of the draw is not the package's: screen, memory, storage and radio take {base:span_unit}, "
        "and each watt of the package draws {slope:span}",
    "rule.heat-limited": "at {level} the die settles near {die}, at its limit of {limit}: heat decides there",
    "rule.heat-limited.do": "A lower limit, more fan or a cooler room; more watts bring heat and no frames.",
    "rule.hotter":
        "since {what} {new} (before {old}) the die is {by:span_unit} hotter at equal setting, {watts}, {rate}: "
        "{parts:commas}",
    "rule.hotter.part-untold": "what makes it hotter cannot be told from these channels",
    "rule.hotter.by-watts": "{by} by watts",
    "rule.hotter.by-fan": "{by} by a fan at {new} that was at {old}",
    "rule.hotter.by-rest": "{by} by contact, dust or what else moved",
    "rule.hotter.fan-moved": "the fan stands at {new} where it stood at {old}",
    "rule.hotter.same-watts": "at equal watts",
    "rule.hotter.other-watts": "with {by:span_unit} other watts",
    "rule.hotter.same-rate": "at the same rate",
    "rule.hotter.slower": "{by:span_unit} slower",
    "rule.hotter.faster": "{by:span_unit} faster",
    "rule.hotter.lacks":
        "To tell whether heat is the cause: {cells}. An old version comes back by the maker's own procedure alone; "
        "note it.",
    "rule.hotter.cell-old": "the old version with a full fan",
    "rule.hotter.cell-new": "the new version with a full fan",
    "rule.hotter.do": "Note fan policy and speed with each version; more fan, or the maker's next version.",
    "rule.heat-cause": "with a full fan old and new are the same: heat is why it is {by:span_unit} slower",
    "rule.not-heat-alone":
        "it is {by:span_unit} slower, and with a full fan still {still:span_unit}: heat is not the whole of it",
    "rule.evenings-moved":
        "since {what} {new} the {figure} of an evening is {by:span_unit} other than before "
        "({evenings:evening|evenings} since)",
    "rule.evenings-moved.do": "A few control passes tell whether it is the update; see what an evening is made of.",
    "rule.drift": "over the run the {figure} of equal setups changed by {by:span_unit} ({passes:pass|passes})",
    "rule.drift.do": "Put controls at start, middle and end, and compare within rounds; look at room and charge.",
    "rule.runs-apart":
        "the {figure} of this run is {by:span_unit} other than that of those before it, at each of the {setups} setups "
        "that both measured",
    "rule.runs-apart.do":
        "Something changed between them that nobody noted: an update, a background task, the scene. Note it with the "
        "machine, or take the run out that is not today's.",
    "rule.warm-up.round": "the first round's {figure} differs by {by:span_unit} from the others: warm-up was left in",
    "rule.warm-up.round.do": "Take the first round out, or soak longer before it.",
    "rule.warm-up.launch":
        "the first pass of a launch differs by {by:span_unit} in {figure} from those after it: warm-up was left in",
    "rule.warm-up.launch.do": "Play the scene once after each launch before measuring.",
    "rule.pays.free":
        "{one} instead of {other} changes the draw by {draw:span_unit} and costs no frames that can be told "
        "({pairs:pair|pairs})",
    "rule.pays.free.do": "Take it as it is for this title; the next sweep can leave the other out.",
    "rule.pays.gains":
        "{one} instead of {other} changes the rate by {rate:span_unit} for no more watts ({pairs:pair|pairs})",
    "rule.pays.gains.do": "Take it as it is for this title; the next sweep can leave the other out.",
    "rule.pays.trades":
        "{one} instead of {other} changes the draw by {draw:span_unit} and the rate by {rate:span_unit} "
        "({pairs:pair|pairs})",
    "rule.pays.trades.do": "It pays where the floor still holds: judge it at equal watts.",
    "rule.pays.costs":
        "{one} instead of {other} changes the draw by {draw:span_unit} and brings no frames ({pairs:pair|pairs})",
    "rule.pays.costs.do": "Leave it out for this title.",
    "rule.again.limit-exceeded": "this slot does not keep the limit: {passes:pass took|passes took} more, of {of:n}",
    "rule.again.limit-exceeded.do": "Pin to measured watts (Plan), or the comparison with other slots is void.",
    "rule.again.drain-while-plugged": "the battery gives although plugged in, in {passes:pass|passes} of {of:n}",
    "rule.again.drain-while-plugged.do": "Use a stronger adapter or a lower limit: this does not last.",
    "rule.again.dynamic-resolution":
        "the title holds one rate by its own scaling in {passes:pass|passes} of {of:n}: what is rendered is not "
        "what is set",
    "rule.again.dynamic-resolution.do": "Turn the title's scaling off and cap from outside.",
    "rule.again.clock-collapse": "the GPU clock collapsed in {passes:pass|passes} of {of:n}: that is the stutter",
    "rule.again.clock-collapse.do": "Compare on the adapter and by charge; note where it comes back.",
    "rule.again.focus-lost": "another window was in front in {passes:pass|passes} of {of:n}",
    "rule.again.focus-lost.do": "Keep notifications and overlays away while measuring.",
    "rule.again.background-load": "other programs ran in {passes:pass|passes} of {of:n}",
    "rule.again.background-load.do": "Wait for updates and indexing; measure in a quiet slot.",
    "rule.charge-clamps": "power was cut in {passes:pass|passes} of {of:n}{top}: firmware clamps by charge{window}",
    "rule.charge-under": ", begun at a charge up to {charge:share}",
    "rule.charge-window": " (passes count from {low:share})",
    "rule.charge-clamps.do": "Set the charge in which passes count from above it.",
    "rule.memory.fixed": "the GPU's fixed share of memory is full ({used} used, {passes:pass|passes})",
    "rule.memory.fixed.do": "A larger split may help this title; so do smaller textures.",
    "rule.memory.grown": "the driver took {used} of the shared memory ({passes:pass|passes})",
    "rule.memory.grown.do": "Lower the textures, or launch the title anew; a larger split does not help.",
    "rule.memory.pool": "all of the memory is full ({used} used, {passes:pass|passes})",
    "rule.memory.pool.do": "Lower the textures and launch the title anew; neither watts nor a split help.",
    "rule.memory.untold": "graphics memory is full in {passes:pass|passes}",
    "rule.memory.untold.do": "Lower the textures; note the split, to tell which memory it is.",
    "rule.scene-short": "passes of {length} are short for this scene: {wanted} would carry their figures",
    "rule.scene-short.do": "Make passes longer, or expect to repeat them more.",
    "rule.scene-light": "even {level} plays this scene at its cap: it is too light to tell levels apart",
    "rule.scene-light.do": "Measure a heavier scene, lift the cap, or begin lower.",
    "rule.scene-not-heaviest": "the floor is judged in {scene}, and {heavy} is the heaviest noted",
    "rule.scene-not-heaviest.do": "Measure {heavy} before the floor is believed.",
    "rule.inside-noise": "no two neighbours of {levels:level|levels} of {factor} can be told apart by these passes",
    "rule.inside-noise.do": "More repeats, longer passes or wider steps.",
    "rule.best-of": "{passes:pass is the best|passes are the best} of several runs: that is biased upward",
    "rule.best-of.do": "Import every run; the mean of all is what counts.",
    "rule.gauge-estimate": "the gauge said {said} at one moment; charge and draw give {real}",
    "rule.gauge-estimate.do": "Go by energy over the scene; the estimate moves as the camera does.",
    "rule.version-behind": "{what}: {has} is installed, {offered} is offered",
    "rule.version-behind.do": "Note it; update by the maker's own procedure, on the adapter, then measure anew.",
    "rule.mixed-origins": "{passes:pass was|passes were} typed in as figures: their lows are not comparable",
}
