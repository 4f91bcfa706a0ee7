"""A table is the test: rows, what came of each, and the measures by their standard names."""

import glossa
from glossa.trials import measures

TABLE = """utterance,outcome,intent,slots,note
galley lamp to forty,,set_level,device=galley_lamp level=40,level
could you make the saloon lamp a bit brighter,,brighten,device=saloon_lamp,level
lamp on,ask,switch,,question
don't open the hatch,reject,,,never
the radio was far too loud last night,reject,,,never
the galley vent to eleven,,set_level,,wrong on purpose
"""

house = glossa.load_house("marigold")
results = glossa.run_table(house, glossa.read_table(TABLE, "evening.csv", house))
for result in results:
    print("right" if result.right else "WRONG", result.row.utterance, *result.wrong, sep="  ")
print()
for measure in measures(house, results):
    print(f"{measure.name:22} {measure.count:2} of {measure.total:2}   {measure.low:6.1%} to {measure.high:6.1%}")
