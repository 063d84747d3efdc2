"""Tuning at the drum: taps to lug pitches, lug pitches to tensions, tensions to the next turns.

``tap`` reads taps; ``head_state`` is what is known of a head's rods; ``next_turns`` says which to
turn; ``procedure`` is the work on one drum in order; ``diagnosis`` names what a stroke gives away.
"""
