"""Write the JSON Schema of the job file to docs/job.schema.json.

Run from the checkout: .venv/bin/python scripts/make_schema.py
"""

from __future__ import annotations

import json
from pathlib import Path

from kakushi.model.job import Job

PATH = Path(__file__).parents[1] / "docs" / "job.schema.json"


def main() -> None:
    """Write the schema."""
    PATH.write_text(json.dumps(Job.model_json_schema(), indent=1, ensure_ascii=False) + "\n", "utf-8")


if __name__ == "__main__":
    main()
