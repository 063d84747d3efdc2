"""Sound files to samples and back; the only code that knows codecs."""
