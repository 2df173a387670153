"""Documents put together as one: their numbers, index, and what changes when late pages come."""
