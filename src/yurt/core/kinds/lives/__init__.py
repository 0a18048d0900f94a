"""The life of the person of a record: what age, sex and country say of body, school, work and family.

One number of the person's own decides each thing, and the things before it decide between which values: the year of
birth and the country say how much school is usual, school and age which jobs are open, the job how it is paid. So the
kinds of one record agree, and any of them can be asked for without the others.
"""
