"""What site and agent share of disk and HTTP: reading archives, and waiting as a source asks. It knows neither."""
