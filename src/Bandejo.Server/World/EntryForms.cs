using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Core.World;

namespace Bandejo.Server.World;

/// <summary>What a package's document says, with the document itself.</summary>
internal sealed class DocumentContents(PackageDocument document) : PackageContents
{
    public PackageDocument Document => document;
}

/// <summary>What is in the world, in the forms in which it travels.</summary>
internal static class EntryForms
{
    extension(PackageEntry package)
    {
        /// <summary>Its document as it was signed.</summary>
        public PackageDocument Document => ((DocumentContents)package.Contents).Document;

        /// <summary>How devices are told of it.</summary>
        public PackageLink Link => new(package.Record.Digest, package.Record.App, package.Record.Version, package.Record.Seal);
    }

    extension(GroupEntry group)
    {
        /// <summary>The group as it is answered.</summary>
        public GroupInfo Info() =>
            new(
                group.Record.Slug, group.Record.Name, group.Rule is null ? "listed" : "rule", group.Record.Rule, group.Record.IsForTesting, group.In.Count(),
                group.NotKnown.Count(), group.Record.Revision, group.Rule?.Unreadable,
                group.Calendars.Count == 0 ? null : group.Calendars, group.Fetch?.ToString());
    }
}
