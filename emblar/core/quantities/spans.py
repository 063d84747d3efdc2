"""What the quantities of a card are read from: spans after a stroke, and bands.

The definition of each quantity, for what is measured of a recording (``analysis``) and for what is
predicted of a drum (``synthesis``, ``planning``): a plan and a record mean the same by a word.
Spans in s after the stroke, bands in Hz.
"""

SETTLE_TOM_S = (0.080, 0.350)
SETTLE_SHORT_S = (0.020, 0.150)
"""*Pitch*: the energy-weighted mean of the fundamental, of toms and of snare and kick."""
SETTLE_LATE_S = (0.150, 0.450)
GLIDING_CENTS_PER_S = 300.0
"""… and of a tom that still falls by more than this in the first."""
ONSET_S = (0.015, 0.060)
"""*Bend*: the mean over this, over the settled pitch."""
ATTACK_S = (0.0, 0.010)
AFTER_S = (0.030, 0.120)
"""*Attack*: energy of the first over that of the second."""
CLICK_FROM_HZ = 500.0
LEAST_CLICK_DB = -40.0
"""*Click*: spectral centroid of the first 10 ms from there up; none if the share is lower."""
BODY_S = (0.0, 0.300)
BODY_OCTAVES = 1.0 / 3.0
BODY_HZ = (20.0, 20000.0)
"""*Body*: energy this near the pitch over all of it."""
LENGTH_DROP_DB = 20.0
LENGTH_FRAME_S = 0.005
"""*Length*: until the level stays so far under its peak, in frames of so long."""
RING_S = (0.040, 0.120)
RING_FROM_RATIO = 1.25
RING_BELOW_HZ = 900.0
"""*Ring*: energy of an overtone over the fundamental's; where overtones are looked for."""
WIRES_S = (0.030, 0.150)
WIRES_HZ = (2000.0, 10000.0)
TONAL_HZ = (80.0, 1200.0)
"""*Wires*: energy in the first band over that in the second."""
