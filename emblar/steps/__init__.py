"""The steps of the work, one package each: actions, queries, pages, routes, commands, templates."""
