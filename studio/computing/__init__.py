"""Computing of scenes: in this process, or in others that can be ended without harm to anything else."""
