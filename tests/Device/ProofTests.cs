using Bandejo.Contract.Device;
using Xunit;

namespace Bandejo.Device.Tests;

/// <summary>How a device looks for what proves software: its list of programs, the registry, the program itself.</summary>
public sealed class ProofTests
{
    [Fact]
    public async Task A_pattern_finds_a_program_whatever_stands_behind_its_name_and_the_earliest_of_several_decides()
    {
        var machine = new FakeMachine { Programs = new() { ["Foldline Reader (x64)"] = "7.2.0", ["Foldline Help"] = "7.1.0", ["Old Foldline"] = "1.0" } };
        var package = Proven(machine, new DocumentCheck("program", "foldline*", [], null, null, null));
        await Order(machine, FakeMachine.Order(package));
        Assert.Contains(machine.Proofs, proof => proof is { Answer: "older", Version: "7.1.0" });

        machine.Programs["Foldline Help"] = "7.10.0";
        machine.Proofs.Clear();
        await Order(machine, FakeMachine.Order(package, number: 1));
        Assert.Contains(machine.Proofs, proof => proof is { Answer: "present", Version: "7.2.0" });
    }

    [Fact]
    public async Task A_value_of_the_registry_proves_a_version_or_that_it_is_as_asked()
    {
        var machine = new FakeMachine();
        machine.Files["HKLM/SOFTWARE/Foldline"] = "Version = 7.2.0\nMode = Front Desk";
        await Order(machine, FakeMachine.Order(Proven(machine, new DocumentCheck("registry", @"HKLM\SOFTWARE\Foldline", [], "Version", null, null))));
        Assert.Contains(machine.Proofs, proof => proof is { Answer: "present", Version: "7.2.0" });

        machine.Proofs.Clear();
        await Order(machine, FakeMachine.Order(
            Proven(machine, new DocumentCheck("registry", @"HKLM\SOFTWARE\Foldline", [], "Mode", "front desk", null)), number: 1));
        Assert.Contains(machine.Proofs, proof => proof.Answer == "present");

        machine.Proofs.Clear();
        await Order(machine, FakeMachine.Order(
            Proven(machine, new DocumentCheck("registry", @"HKLM\SOFTWARE\Foldline", [], "Mode", "office", null)), number: 2));
        Assert.Contains(machine.Proofs, proof => proof.Answer == "absent" && proof.Why.EndsWith(
            @"value Mode in HKLM\SOFTWARE\Foldline is not as expected", StringComparison.Ordinal));
    }

    [Fact]
    public async Task A_program_without_a_version_in_itself_proves_nothing()
    {
        var machine = new FakeMachine();
        machine.Files["opt/foldline/foldline.exe"] = "";
        await Order(machine, FakeMachine.Order(Proven(machine, new DocumentCheck("version-of", "opt/foldline/foldline.exe", [], null, null, null))));
        Assert.Contains(machine.Proofs, proof => proof.Answer == "not-known" && proof.Why.EndsWith("is there, but holds no version", StringComparison.Ordinal));
    }

    private static PackageLink Proven(FakeMachine machine, DocumentCheck check) => machine.PackageWith("7.2.0", variant => variant with { Present = [check] });

    private static async Task Order(FakeMachine machine, Order order)
    {
        machine.Until = each => each.Proofs.Count > 0;
        machine.Give(order);
        Assert.True(await machine.Run());
    }
}
