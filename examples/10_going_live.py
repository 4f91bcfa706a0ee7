"""A house that listens, over a link and a source of your own. Everything stays within this program."""

import threading
from queue import SimpleQueue

import glossa
from glossa.links import Link
from glossa.live import Live


class Printed(Link):
    """Takes what a real wire would take."""

    def open(self, inbox):
        pass

    def send(self, command, seconds):
        print(f"      sent: {command}   ({seconds:.1f} s left)")

    def close(self):
        pass


house = glossa.load_house("marigold")
live = Live(house, [], emit=lambda record: None, links={name: Printed() for name in house.links})
answers = SimpleQueue()


def recogniser():
    """Says a few things and waits for the answers."""
    for text in ("ahoy barnacle", "galley lamp to forty", "ahoy barnacle", "mooring light on and the radio to ten"):
        live.offer(text.encode(), "recogniser", answers)
        record = answers.get().plain()
        print(f"{record['outcome']:8} {text:40} {record['reply']}")
    live.stop("that was all")


thread = threading.Thread(target=recogniser)
thread.start()
live.run()
thread.join()
