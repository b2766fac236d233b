"""IPC-2581: `reader` takes the build out of a file, `write` puts it in."""
