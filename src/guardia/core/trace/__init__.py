"""From pictures to traces, and from traces to the size of motion: nothing here knows a camera or its settings."""
