"""Take against record: how far apart, heard fairly, what to change next, and the way back.

``differences`` compares cards; ``loudness`` and ``alignment`` make a fair pair to hear; ``moves``
ranks single changes; ``way_back`` says how to get from one setup to another.
"""
