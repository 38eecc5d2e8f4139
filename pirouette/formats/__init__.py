"""Open formats, one file each: pictures, movies, geometry, and the packets that the page draws from."""
