export const run = async (visit, log) => {
  log.line("asked", { way: visit.way });
  const { day = ["none"] } = visit.asked;
  return { mark: 200, lines: [["x-hive", visit.found.hive]], load: `${day.join(",")} ${visit.act}` };
};
