"""One package per stage. A stage knows the models and the shared drawing, never another stage."""
