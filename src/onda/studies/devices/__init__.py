"""Device files and the models in them."""
