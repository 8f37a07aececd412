using Bandejo.Agent;

return await AgentProgram.Run(args, new WindowsMachine());
