"""How values stand at native places: one class a lens, in a module by topic."""
