"""Heads, cavity, damping and limits: what a drum will do, and which lug pitches make it do so."""
