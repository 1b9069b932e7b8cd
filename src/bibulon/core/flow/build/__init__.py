"""From a job to a network of pores and links."""
