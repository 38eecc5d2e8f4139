"""Forces: what moves the points of a simulation, a line of its own under its step."""
