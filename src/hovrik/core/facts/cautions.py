"""What has to be minded when a machine's limits are changed: shown in Rig and printed with every report."""

CAUTIONS = (
    "Never defeat a thermal or charge protection. Limits above the maker's range are refused here.",
    "Firmware: by the maker's own procedure, on the adapter. Hovrik notes versions and never flashes.",
    "A swollen or very hot battery: stop, unplug, ask the maker or a qualified repairer. Do not charge unattended.",
    "Opening the machine, new paste, battery work: the maker's guidance or a qualified repairer. "
    "A changed fan or paste voids comparisons.",
    "Warranty and online-service rules are yours to check.",
)
