"""Tables and the questions asked of them; rows stay inside, frozen dataclasses go out."""
