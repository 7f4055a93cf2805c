exports.moved = async (turn, kit) => {
  for (const row of turn.rows) {
    if (row.op === "U" && row.was.weight !== row.is.weight) {
      await kit.line("moves").send(JSON.stringify({ hive: row.is.hive }));
    }
  }
};


const keep = (desk) => desk.send("kept");
exports.night = async (turn, kit) => {
  const last = kit.line("last");
  await keep(kit.line("kept"));
  await last.send(turn.due, { heads: { bell: turn.bell } });
};
