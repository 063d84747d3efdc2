"""The files Emblar reads and writes, as Pydantic models; their JSON Schemas are in docs/formats."""
