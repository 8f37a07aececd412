using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;

namespace Bandejo.Device;

/// <summary>Reads what an order says of restarts.</summary>
internal static class RestartForm
{
    /// <summary>A word of when; null for another word.</summary>
    public static RestartWhen? When(string? word) => word switch
    {
        "never" => RestartWhen.Never, "in-window" => RestartWhen.InWindow, "with-install" => RestartWhen.WithInstall, _ => null,
    };

    /// <summary>What an order whose form is sound says.</summary>
    public static RestartChoice Of(Order order) => order.Restart is not { } choice
        ? RestartChoice.LeftToPeople
        : new RestartChoice(
            When(choice.When)!.Value, When(choice.WhileSignedIn)!.Value, choice.AfterSeconds is { } seconds ? TimeSpan.FromSeconds(seconds) : null);
}
