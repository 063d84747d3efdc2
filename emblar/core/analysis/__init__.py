"""From a recording to strokes, voices and the numbers that describe each drum.

The way in is ``pipeline.analyse``; ``pipeline.remeasure`` measures some voices anew after a
correction (``corrections``). The stages, each knowing only those before it::

    signal       samples, mid and side, bands every 5 ms, the low band
    onsets       candidates: where a stroke may begin, many on purpose
    classify     which kinds sound at each: patches, networks, neighbours, templates
    pitch        partials by ESPRIT, which is the fundamental, bend, double-slope decay
    voices       toms parted and put in order; every stroke to its drum
    card         clean strokes pooled: pitch, envelope, overtones, room, dynamics, articulation
    separation   Wiener masks from the strokes' own templates, for listening

Numbers that are chosen have a note beneath them: what they are, in which unit. Where it names no
other origin they were chosen on made-up scenes and looked at on sampled kits (``bench.real``);
what was tried stands in docs/experiments, what hand-set rules bring in docs/experiments/rules.md.

Words used here, and the field's:

    stroke       onset with its drum, one event of a transcription
    voice        instrument class with a number: kick, snare, tom-1, hat, cymbal
    print        spectro-temporal template of one stroke, all bands over a few spans of time
    told         a quantity that could be estimated; untold carries the reason
    card         feature vector of one voice, each value with its standard uncertainty
    clean        undisturbed by another stroke for long enough to measure
"""
