export const moved = async (marsh) => {
  const at = marsh.input.cols.indexOf("apiary");
  for (const { op, old, new: now } of marsh.input.changes) {
    if (op === "U" && old[at] !== now[at]) await marsh.channel("moves").float(`${now[0]}: ${old[at]} -> ${now[at]}`);
  }
};
