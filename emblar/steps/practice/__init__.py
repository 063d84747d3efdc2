"""Practice: tuning rounds and ear exercises on rendered drums."""
