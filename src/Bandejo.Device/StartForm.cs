using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;

namespace Bandejo.Device;

/// <summary>Reads what an order says must be so when it is started.</summary>
internal static class StartForm
{
    /// <summary>A word of who is there; null for another word.</summary>
    public static StartWith? With(string? word) => word switch
    {
        "anybody" => StartWith.Anybody, "nobody" => StartWith.Nobody, "somebody" => StartWith.Somebody, "system-start" => StartWith.SystemStart, _ => null,
    };

    /// <summary>What an order whose form is sound says.</summary>
    public static StartWhen Of(Order order) => order.Start is { } start ? new StartWhen(With(start.With)!.Value, start.OnMains) : StartWhen.Any;
}
