"""The life of the person of a record: how age, sex, and country determine body, school, work, and family.

A number of the person's own decides each aspect, and earlier aspects decide which values are possible: the year of
birth and the country determine the usual schooling, schooling and age the open jobs, the job its pay. So the kinds of
one record agree, and any of them can be used without the others.
"""
