"""Misses in a log become words for the house: grouped, with what each is nearest to, and a proposal that was tried."""

import glossa
from glossa.trials.takes import learn

house = glossa.load_house("marigold")
heard = """turn on the harpoon lamp
turn on the harpoon lamp
turn on the harpoon lamp
harpoon lamp to forty
start the bill pump
start the bill pump
what a lovely evening
"""
for miss in learn(house, heard.splitlines()):
    print(f"{miss.count} x  {miss.texts[0][0]}  ({miss.outcome}, nearest to {miss.intent or 'nothing'})")
    if miss.proposal is not None:
        print(f"     add “{miss.proposal.text}” to {'.'.join(miss.proposal.path)}: {miss.proposal.why}")
