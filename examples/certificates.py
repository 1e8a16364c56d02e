"""Several certificates in one cell become a table of their own: `python examples/certificates.py`."""

from __future__ import annotations

import kebrin as kb

run = kb.tidy(kb.demo_file("certificates.csv"))
(crew,) = run.tables.values()
print(crew)

# What the cells look like, and the step that is proposed for them.
found = crew.values("Certificates", "Valid until", "Fee paid").columns[0].suggestion
print(f"Certificates: {found.meaning}: {found.why}")
print(f"  step: {found.step}")

# The fee is for all of a person's certificates: it stays with the person.
people, certificates = crew.detail("Certificates", key="Crew", at=[";", "/"], along=["Valid until"], position="place")
certificates = certificates.date("Valid until")
print(people)
print(certificates)
for remark in certificates.remarks:
    print("-", remark)
print(f"holds: {people.proof.holds and certificates.proof.holds}")
