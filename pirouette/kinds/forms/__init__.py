"""Forms: meshes to start a routine from."""
