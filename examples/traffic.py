"""From a ferry board's workbook to a proved tidy table: `python examples/traffic.py`."""

from __future__ import annotations

import kebrin as kb

report = kb.read(kb.demo_file("traffic_2031.xlsx"))
print(report)

# One sheet, one block: what is where is worked out; we only give names.
block = report["North Loop"].blocks()[0]
print(block)
table = block.tidy(boxhead=["quarter", "month", "class"], stub=["direction", "sailing"], measure="carried")
print(table)

# Every value knows its cell.
print(
    f"row 17 holds {table.to_arrow()['carried'][17].as_py():g}, from {table.origin(17)}".replace(
        report.path, "traffic_2031.xlsx"
    )
)

# The proof: nothing lost, every stated total ties, and the body can be put together again.
proof = table.proof
print(
    f"holds: {proof.holds}; {proof.cells} source cells, {proof.unclaimed} unclaimed; {proof.ties[0].exact} totals tie exactly"
)
body = table.rebuild(block.layout)
print(f"rebuilt: {body.shape[0]} x {body.shape[1]} body, first cells {body[0, :3].tolist()}")

# The same over every sheet and both years, by a plan that a person can read.
run = kb.load_plan(kb.demo_file("traffic.plan.toml")).run()
print(run.tables["traffic"])
