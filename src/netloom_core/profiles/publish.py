"""Writes the JSON Schema of profile files, for editors.

python -m netloom_core.profiles.publish profiles/profile.schema.json
"""

import json
import sys
from pathlib import Path

from netloom_core.profiles.schema import Profile

if __name__ == "__main__":
    Path(sys.argv[1]).write_text(json.dumps(Profile.model_json_schema(), indent=1) + "\n")
