exports.run = async ({ order, told, log }) => {
  if (!order.hive) throw new Error("no hive");
  await told.set(`order for ${order.hive}`);
};
