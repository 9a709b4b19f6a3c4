"""Several machines: real database servers, queues and stores, and processes that are killed."""
