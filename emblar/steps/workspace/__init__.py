"""A session as all its steps show it: record, kit, plan, and the frame around a step."""
