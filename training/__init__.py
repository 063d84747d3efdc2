"""Where the classifier's weights come from: made-up sounds, scenes of them, and the fit.

``python -m training.train`` writes ``emblar/core/analysis/models/voices.npz``, the same from the same
seed. Nothing recorded goes in.
"""
