using Bandejo.Contract.Device;
using Bandejo.Core.Deployments;
using Bandejo.Core.Packages;

namespace Bandejo.Device;

/// <summary>This part puts back what was there before: because that is asked for, or because an install failed after it had begun.</summary>
internal sealed partial class AttemptRunner
{
    private async Task<AttemptEnd> Restore(Attempt attempt, CancellationToken cancellation)
    {
        var order = attempt.Order;
        Move("fetch");
        if (order.Previous is { } previous && journal.State.Withdrawn.Contains(previous.Digest))
        {
            return new AttemptEnd(
                AttemptOutcome.Withdrawn, $"{previous.Version} was there before and has been withdrawn since; it is not put back", null, null);
        }

        // What is to be put back is fetched before anything is taken away.
        var document = order.Previous is null ? null : await Earlier(order.Previous, cancellation);
        if (document is not null && journal.State.Progress.GetValueOrDefault(DeviceState.KeyOf(order)) is { HasPutBack: true })
        {
            // Put back before the restart: what is missing is the proof alone.
            var (asPutBack, asWritten) = VariantFor(document, order.Previous!);
            var receipt = NewReceipt(document, order.Previous!, asPutBack, asWritten);
            if (await prover.Prove(document, asPutBack, receipt, cancellation) is { Answer: PresenceAnswer.Present } proof)
            {
                journal.Append(new ReceiptKept(receipt));
                return new AttemptEnd(AttemptOutcome.Done, proof.Why, null, proof);
            }
        }

        var removed = await TakeAway(attempt, "remove", order.Package, order.Variant, cancellation);
        if (removed.Outcome != AttemptOutcome.Done || document is null)
        {
            return removed;
        }

        // Where nothing had to be taken away, nothing was changed yet.
        if (await MayNotStart(cancellation) is { } called)
        {
            return called;
        }

        var (variant, written) = VariantFor(document, order.Previous!);
        Move("put-back");
        var end = await RunStep(attempt, "put-back", document, variant, variant.Install, cancellation);
        surroundings.Put(document, variant);
        var result = await Judge(
            attempt, document, variant, variant.Install, end, NewReceipt(document, order.Previous!, variant, written),
            proof => proof.Answer == PresenceAnswer.Present, cancellation);
        if (result.Outcome == AttemptOutcome.Done)
        {
            journal.Append(new ReceiptKept(NewReceipt(document, order.Previous!, variant, written)));
        }

        return result with { HasPutBack = result.Outcome == AttemptOutcome.Restart };
    }

    private async Task<AttemptEnd> PutBack(Attempt attempt, DocumentVariant tried, AttemptEnd failed, CancellationToken cancellation)
    {
        if (ReceiptOf(attempt.Order.Package.App) is not { } receipt || receipt.Link.Digest == attempt.Order.Package.Digest
            || journal.State.Withdrawn.Contains(receipt.Link.Digest)
            || await packages.Known(receipt.Link) is not { } document)
        {
            return failed;
        }

        var variant = PackageKeeper.VariantOf(document, receipt);
        surroundings.Put(document, variant, tried);
        if ((await prover.Prove(document, variant, receipt, cancellation)).Answer == PresenceAnswer.Present)
        {
            return failed with { Message = $"{failed.Message}; {receipt.Version} is still in place" };
        }

        Move("put-back");
        await RunStep(attempt, "put-back", document, variant, variant.Install, cancellation);
        surroundings.Put(document, variant);
        var proof = await prover.Prove(document, variant, receipt, cancellation);
        return failed with
        {
            Message = proof.Answer == PresenceAnswer.Present
                ? $"{failed.Message}; {receipt.Version} was put back"
                : $"{failed.Message}; {receipt.Version} could not be put back: {proof.Why}",
        };
    }

    private async Task<PackageDocument> Earlier(PackageLink link, CancellationToken cancellation)
    {
        var receipt = journal.State.Earlier.GetValueOrDefault(link.App);
        if (receipt?.Link.Digest == link.Digest && await packages.Known(receipt.Link) is { } kept)
        {
            return kept;
        }

        // Not kept here any more: the service has it, and the variant's name tells which files are needed.
        var variant = receipt?.Variant ?? journal.State.Current!.Order.Variant;
        return await packages.Get(link, variant, cancellation);
    }

    /// <summary>The variant to put back, with the settings that it had.</summary>
    private (DocumentVariant Variant, IReadOnlyDictionary<string, string> Written) VariantFor(PackageDocument document, PackageLink link)
    {
        var receipt = journal.State.Earlier.GetValueOrDefault(link.App) is { } earlier && earlier.Link.Digest == link.Digest ? earlier : null;
        var written = receipt?.Written ?? Filling.Written(document, null);
        return (
            Filling.Handle(
                Filling.Fill(PackageKeeper.VariantOf(document, receipt?.Variant ?? journal.State.Current!.Order.Variant), written),
                journal.State.Current!.Order.Handling),
            written);
    }
}
