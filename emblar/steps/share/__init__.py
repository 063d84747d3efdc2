"""Links for people without an account: a plan, two sounds, a comment, a phone."""
