"""The interface for programs, under /api/v1: the records as JSON, and what may be written."""

from mirvo.web.api.app import create_api

__all__ = ["create_api"]
