"""FastAPI: REST for documents, one WebSocket for keys, pens and takes."""
