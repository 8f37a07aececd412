using Bandejo.Contract.Device;
using Bandejo.Core.Packages;

namespace Bandejo.Device;

/// <summary>Says what an order waits for on the device before it begins. Waiting is no try.</summary>
internal sealed class StartChecks(DeviceParts parts, PackageKeeper packages, Surroundings surroundings)
{
    /// <summary>What is in the way, for people; null for nothing.</summary>
    public async Task<string?> InTheWay(DeviceState state, Order order, CancellationToken cancellation) =>
        OtherFirst(state, order) ?? await OfPackage(order, cancellation) ?? OfDeployment(order);

    /// <summary>The programs that an order would have to close and that run; none where its package is not known.</summary>
    public async Task<IReadOnlyList<string>> InUse(Order order, CancellationToken cancellation) =>
        await packages.Known(order.Package) is { } document && document.Variants.Any(each => each.Name == order.Variant)
            ? parts.Processes.InUse(Filling.Handle(PackageKeeper.VariantOf(document, order.Variant), order.Handling).Close)
            : [];

    /// <summary>
    /// What has to be over first of what another order does with the same app: a restart that it waits for, or putting back what was there before. Else the
    /// two would undo each other's work for ever.
    /// </summary>
    private static string? OtherFirst(DeviceState state, Order order)
    {
        foreach (var other in state.Orders.Where(each => each.Package.App == order.Package.App && DeviceState.KeyOf(each) != DeviceState.KeyOf(order)))
        {
            var progress = state.Progress.GetValueOrDefault(DeviceState.KeyOf(other));
            if (progress?.WaitsForBoot is not null)
            {
                return "A restart comes first, for what was done last";
            }

            // Also where its lease has run out: the service says at the next check-in what becomes of it.
            if (order.Kind != "restore" && other is { Kind: "restore", MayStart: true } && (progress is null || progress.NextTry is not null))
            {
                return "What was there before is put back first";
            }
        }

        return null;
    }

    /// <summary>What the deployment says must be so, and is not. Asked last, since it may change while others are asked.</summary>
    private string? OfDeployment(Order order) => order.Kind is "trial" || order.Start is null
        ? null
        : OrderWords.Start(order).InTheWay(order.AtOnce, parts.User.IsSignedIn, parts.Power.IsOnMains, parts.Power.Running);

    /// <summary>What the package, or how it is handled, waits for. Asked of the sealed package alone.</summary>
    private async Task<string?> OfPackage(Order order, CancellationToken cancellation)
    {
        if (order.Kind == "trial")
        {
            return null;
        }

        try
        {
            var variant = Filling.Handle(PackageKeeper.VariantOf(await packages.Open(order.Package, cancellation), order.Variant), order.Handling);
            return surroundings.InTheWay(variant) ?? Programs(order, variant);
        }
        catch (Exception error) when (
            error is LinkException or SealException or PackageException or IOException or UnauthorizedAccessException || Unforeseen.Is(error))
        {
            // The attempt will find the same, and say so.
            return null;
        }
    }

    /// <summary>The programs in use that a deployment which closes them after its deadline waits for until then.</summary>
    private string? Programs(Order order, DocumentVariant variant)
    {
        if (!order.ClosesPrograms || order.AtOnce || parts.Time.GetUtcNow() >= order.Deadline || !parts.User.IsSignedIn)
        {
            return null;
        }

        var used = parts.Processes.InUse(variant.Close);
        return used.Count == 0 ? null : $"{string.Join(", ", used)} {(used.Count == 1 ? "is" : "are")} in use, and closed only after the deadline";
    }
}
