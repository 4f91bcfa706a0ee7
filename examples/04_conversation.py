"""A whole conversation with its clock: the wake word, a question, "it", a correction, and silence afterwards."""

import glossa

talk = glossa.Conversation(glossa.load_house("marigold"))
lines = (
    (0.0, "galley lamp on"),
    (5.0, "ahoy barnacle"),
    (7.0, "set the galley lamp"),
    (9.0, "forty"),
    (12.0, "a bit brighter"),
    (15.0, "lamp off"),
    (17.0, "the saloon one"),
    (19.0, "no the galley one"),
    (60.0, "and the radio to ten"),
)
for at, text in lines:
    event = talk.hear(text, at=at)
    print(f"{at:5.0f} s  {text:24} {event.outcome:8} {event.reply}")
    for command in event.commands if event.outcome == "accept" else ():
        print(f"{'':34}{command}")
