"""Small networks of our own, as ONNX beside their model cards, and the way they are opened."""
