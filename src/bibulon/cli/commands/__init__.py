"""The commands: a module each, with ``arguments(parser)`` and ``run(args) -> exit code``; and this one table."""

__all__ = ["COMMANDS"]

COMMANDS = {  # their summaries are told by ``main`` in the reader's language
    "forecast": "Say when and where a job fills.",
    "charge": "Say how much resin a job takes and how to mix it.",
    "findings": "Judge a job; ends with 1 when something blocks.",
    "leak": "Judge a drop test from a gauge log; ends with 1 when it fails, with 3 when it cannot tell yet.",
    "pump-down": "Say how a pump draws a bag down; ends with 1 when pump, hose or bag is at fault.",
    "refit": "Say what marks of the front make of a forecast: ranges, and which mark the others do not bear out.",
    "run": "Tell what happened in a job's runs, in order.",
    "hold": "Say what a part comes to after it is full: fibre share, resin that bleeds, when it is even.",
    "cure": "Say when places of a part gel, how warm they get and when they may leave the mould.",
    "record": "Say what a job came to: fibre share by weight, the resin's balance, defects.",
    "thumbnail": "Draw a job's plan as a small picture, for file managers.",
    "rehearse": "Shoot a job in a simulated shop with hidden faults; say what was hidden and what it came to.",
    "log": "List the jobs of folders, and those that hold some words.",
    "series": "Put the parts of a folder on control charts; say what drifts.",
    "card": "Write the job card as PDF.",
    "list": "Write ply book, core kit, line list, kit or material totals as PDF or CSV.",
    "calls": "Print the calling sheet, or write it large as PDF.",
    "suggest": "Search plans of lines; say how many were tried and which are good.",
    "sure": "Run a job over the spread of its inputs; say the range of what comes of it.",
    "bag": "Say what film, pleats and tape a job's bag takes, or write its walk-round at full size.",
    "mould": "Say whether a closed mould stays shut, how far it bows, and when channel and vent are full.",
    "recipe": "Say what an injection machine does, stage by stage, or write it.",
    "cut": "Lay all that is cut for a job on rolls and sheets, or write templates.",
    "stack": "Say what part and stack come to.",
    "reckon": "Reckon mixing, doses, buckets, gauges, leaks and the like without a job.",
    "schema": "Print the JSON Schema of a job document.",
    "demo": "Open the demo job.",
    "open": "Open the application.",
}
