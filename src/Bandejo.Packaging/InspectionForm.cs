using Bandejo.Contract.Api;
using Bandejo.Core.Installers;

namespace Bandejo.Packaging;

/// <summary>Brings what was read into the form in which it travels.</summary>
public static class InspectionForm
{
    public static InspectionInfo Of(Inspection each) => new(
        each.File, each.Size, each.KindInWords,
        [.. each.Told.Select(told => new ToldInfo(told.What, told.Value, Of(told.Certainty), told.Source))],
        [.. each.Commands.Select(command => new InstallerCommandInfo(command.Verb, command.Run, Of(command.Certainty), command.Source))],
        [.. each.Settings.Select(setting => new InstallerSettingInfo(setting.Name, setting.Default, setting.IsSecret, setting.Switch))],
        [.. each.Features.Select(feature => new InstallerFeatureInfo(feature.Name, feature.Title, feature.IsDefault))],
        each.Conditions,
        [.. each.Nested.Select(nested => new NestedInstallerInfo(nested.Path, nested.Size, nested.What, NestedFiles.CanBeTaken(each, nested)))],
        [.. each.Proofs.Select(proof => new InstallerProofInfo(proof.Key, proof.Subject, Of(proof.Certainty), proof.Source))],
        each.Contents is { } contents
            ? new InstallerContentsInfo(
                contents.Files, contents.Size, [.. contents.First.Select(file => new ContainedFileInfo(file.Path, file.Size))], contents.IsWhole)
            : null,
        [.. each.Open.Select(open => new OpenQuestionInfo(open.What, open.Try))],
        [.. each.Findings.Select(finding => new FindingInfo(finding.Message, finding.Where, finding.Line, finding.Column, finding.Length, finding.IsWarning))],
        each.Icon is not null);

    public static string Of(Certainty certainty) => certainty switch { Certainty.Certain => "certain", Certainty.Likely => "likely", _ => "guess" };
}
