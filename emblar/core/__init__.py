"""The rules of the job and its computation: no web, no database, no clock, only its own data."""
