"""Accounts, invitations and logging in."""
