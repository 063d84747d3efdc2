"""What a user does here: load, compute, save."""
