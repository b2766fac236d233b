"""The command line: `main` is the application, one module a group of commands, one `common`."""
