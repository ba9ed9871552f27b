"""What the artist wrote: quantities, rows, sentences and the document that holds them."""
