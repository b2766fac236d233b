"""What a fabricator would ask about a build."""
