"""What is computed on what flows: curves, outlines, solids, places on surfaces, finer faces."""
