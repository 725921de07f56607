// Written by `manage.py write_page_rules` from kessa/core/runs/transitions.toml; a test holds it to that.

export const RULES = {
  finished: ["ended", "every part read", "stopped", "voided", "skipped"],
  transitions: {
    drop_added: [{"when": ["not finished", "below the range's end"], "do": ["count one more", "clear the clock"]}, {"when": [], "do": ["note one too late"]}],
    began_to_turn: [{"when": ["not finished", "something counted", "no turn yet"], "do": ["turn at this count"]}],
    end_called: [{"when": ["not finished", "something counted"], "do": ["end", "clear the clock", "turn as early as an unsure eye may have missed"]}, {"when": ["not finished", "with an end"], "do": ["end", "clear the clock"]}],
    voided: [{"when": [], "do": ["void", "clear the clock"]}],
    blank_skipped: [{"when": ["not finished"], "do": ["skip"]}],
    step_done: [{"when": [], "do": ["tick the step"]}],
    timer_started: [{"when": ["not finished"], "do": ["start the clock"]}],
    seen: [{"when": ["not finished"], "do": ["note when it was seen"]}],
    reading_taken: [{"when": ["not stopped", "not voided"], "do": ["read the part"]}],
    stopped: [{"when": ["something read"], "do": ["stop"]}],
    corrected: [{"when": ["ended", "with a count"], "do": ["correct the count"]}, {"when": ["its part read"], "do": ["correct the reading"]}],
  },
};
