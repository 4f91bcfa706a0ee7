"""Why a line was taken for what it was taken for: the alignment, word by word, and the evidence, term by term."""

import glossa

match = glossa.Matcher(glossa.load_house("marigold")).match("uh turn of the galley lap please")
print(f"{match.outcome}: {match.reason} {match.detail}\n")

best = match.explain()["readings"][0]
for row in best["alignment"]:
    print(f"  {row['heard']:12} -> {row['taken'] or '-':14} {row['role']:10} {row['cost']:.2f}  {row['why']}")
print(f"\n  score 1 - {best['cost']:.2f} / {best['weight']:.2f} = {best['score']:.2f}\n")
for term in best["evidence"]:
    print(f"  {term['term']:20} {term['amount']:6.2f} x {term['weight']:+.2f} = {term['log_odds']:+.2f}")
