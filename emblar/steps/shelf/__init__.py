"""Shelf: the studio's heads, parts and their condition."""
