"""Match: takes compared with the record, the journey of a drum, pads."""
