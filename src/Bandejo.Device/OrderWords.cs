using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Deployments;

namespace Bandejo.Device;

/// <summary>Reads what an order says in words of its restart and its start.</summary>
internal static class OrderWords
{
    /// <summary>What is wrong with them; null where nothing is.</summary>
    public static string? Problem(Order order) =>
        order.Restart is { } restart && (!Knows<RestartWhen>(restart.When) || !Knows<RestartWhen>(restart.WhileSignedIn) || restart.AfterSeconds < 0)
            ? "when it restarts the device is not valid"
        : order.Fetch is { } fetch && fetch.Any(rule => rule is null || !FetchRule.Parse(rule).Ok) ? "how its files are fetched is not valid"
        : order.NoticeSeconds is < 0 or > DeviceProtocol.MaxNotice ? "how long before it starts its user is told is not valid"
        : order.Start is { } start && !Knows<StartWith>(start.With) ? "what must be so when it starts is not valid"
        : null;

    /// <summary>When an order whose form is sound restarts the device.</summary>
    public static RestartChoice Restart(Order order) => order.Restart is not { } choice
        ? RestartChoice.LeftToPeople
        : new RestartChoice(
            StateNames.Read<RestartWhen>(choice.When)!.Value, StateNames.Read<RestartWhen>(choice.WhileSignedIn)!.Value,
            choice.AfterSeconds is { } seconds ? TimeSpan.FromSeconds(seconds) : null);

    /// <summary>What must be so when an order whose form is sound starts.</summary>
    public static StartWhen Start(Order order) =>
        order.Start is { } start ? new StartWhen(StateNames.Read<StartWith>(start.With)!.Value, start.OnMains) : StartWhen.Any;

    /// <summary>How the files of an order whose form is sound are fetched.</summary>
    public static FetchRule Fetch(Order order) =>
        order.Fetch is { Count: > 0 } rules ? FetchRule.Together([.. rules.Select(rule => FetchRule.Parse(rule).Value)]) : FetchRule.Usual;

    private static bool Knows<T>(string? word)
        where T : struct, Enum => StateNames.Read<T>(word) is not null;
}
