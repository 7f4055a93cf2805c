exports.record = async (turn, kit) => {
  const hive = turn.match.vars.find((one) => "hive" in one).hive;
  const data = JSON.parse(turn.ask.load.is);
  const shelf = kit.stores("inspections");
  await shelf.put(`${hive}.json`, JSON.stringify(data), { kind: "application/json" });
  const row = await kit.sheet("hives").row({ hive }).read();
  kit.note("recorded", { hive });
  return [201, `location: /hives/${hive}\r\n`, JSON.stringify({ hive, row, unit: process.env.UNIT })];
};
