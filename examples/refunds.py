"""From two branches' exports in every style to one exact table: `python examples/refunds.py`."""

from __future__ import annotations

import kebrin as kb

run = kb.tidy(kb.demo_file("refunds_skarrow.csv"))
(refunds,) = run.tables.values()
print(refunds)

# What is in each column, and what must be answered first.
print(refunds.values("Amount", "Port"))
for column in refunds.values().columns:
    if column.suggestion.question:
        print(f"? {column.name}: {column.suggestion.question}")

# The answers are options; each verb says what it changed, and what it could not read.
refunds = (
    refunds.date("Paid on", latest=2031)
    .recode("Port", kb.demo_file("ports.csv"), likeness=0.85)
    .number("Amount", negative=["brackets", "less", "trailing minus", "CR"], currency="currency")
    .flag("By card")
)
for remark in refunds.remarks:
    print("-", remark)
print(f"holds: {refunds.proof.holds}")
