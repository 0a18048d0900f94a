"""The words for the aspects of a life, in the order of their numbers."""

from __future__ import annotations

# Levels of education (ISCED 2011).
EDUCATION = (
    "less than primary", "primary", "lower secondary", "upper secondary", "post-secondary", "short-cycle tertiary",
    "bachelor", "master", "doctorate",
)  # fmt: skip
ACTIVITIES = ("in education", "employed", "self-employed", "unemployed", "at home", "retired")
# In the order of the column `blood` of the statistics.
BLOOD_GROUPS = ("O+", "A+", "B+", "AB+", "O-", "A-", "B-", "AB-")
