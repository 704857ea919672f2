# Brings this machine in as a host of the server named below.
#
# It checks what it needs before it changes anything, installs the agent of Yellow Paddock into a folder of its own from
# that server (no other host is asked), joins with the pass in $env:PADDOCK_PASS, and has the agent kept running.
# It can be run again: key, name and labels stay, and jobs that run end first (-Now loses them). With -DryRun it only checks, and says what it would do.
param(
    [switch] $DryRun,
    [switch] $ByHand,
    [switch] $Now,
    [string] $Name = '',
    [string] $Labels = '',
    [int] $Slots = 0,
    [string] $User = '',
    [string] $Work = '',
    [string] $Prefix = ''
)
$ErrorActionPreference = 'Stop'
Set-StrictMode -Version 2
#@HEAD@

if ($ByHand) { $env:PADDOCK_SUPERVISOR = 'by hand' }
if ($Name) { $env:PADDOCK_NAME = $Name }
if ($Labels) { $env:PADDOCK_LABELS = $Labels }
if ($Slots) { $env:PADDOCK_SLOTS = $Slots }
if ($User) { $env:PADDOCK_USER = $User }
if ($Work) { $env:PADDOCK_WORK = $Work }
if ($Prefix) { $env:PADDOCK_PREFIX = $Prefix }
if (-not $env:PADDOCK_PREFIX) { $env:PADDOCK_PREFIX = Join-Path $env:ProgramFiles 'Paddock' }

# Windows PowerShell 5 would offer the server only versions of TLS that are switched off nearly everywhere.
[Net.ServicePointManager]::SecurityProtocol = [Net.SecurityProtocolType]::Tls12

function Stop-Missing([string] $what, [string] $found, [string] $remedy) {
    Write-Output "  missing ${what}: $found"
    Write-Output "          do: $remedy"
    if ($env:PADDOCK_SHEET) {
        $check = @{ name = $what; mark = 'missing'; found = $found; remedy = @($remedy) }
        $report = @{ sheet = $env:PADDOCK_SHEET; step = 'preflight'; mark = 'failed'; hostname = $env:COMPUTERNAME; found = "${what}: $found"; checks = @($check) }
        try {
            $body = ConvertTo-Json -InputObject $report -Depth 5
            Invoke-RestMethod -Method Post -Uri "$env:PADDOCK_SERVER/agent/v1/bring-up" -Body $body -ContentType 'application/json' -TimeoutSec 10 | Out-Null
        } catch {
            Write-Verbose 'The report could not be sent.'
        }
    }
    Write-Output 'Nothing was changed.'
    exit 1
}

function Add-ToPath([string] $folder) {
    # Through the registry: what .NET reads is expanded, and writing it back would lose every %SystemRoot% in it.
    $place = 'SYSTEM\CurrentControlSet\Control\Session Manager\Environment'
    $key = [Microsoft.Win32.Registry]::LocalMachine.OpenSubKey($place, $true)
    try {
        $path = [string] $key.GetValue('Path', '', 'DoNotExpandEnvironmentNames')
        if (($path -split ';') -notcontains $folder) {
            $key.SetValue('Path', $path.TrimEnd(';') + ';' + $folder, 'ExpandString')
        }
    } finally {
        $key.Dispose()
    }
    # Removing a variable that is not there tells programs that the environment has changed.
    [Environment]::SetEnvironmentVariable('PADDOCK_PATH_CHANGED', $null, 'Machine')
}

function Install-Agent([string] $place, [string] $log) {
    # What a program writes to its error stream would otherwise end this script in Windows PowerShell 5.
    $ErrorActionPreference = 'Continue'
    & $python -m venv --without-pip $place *> $log
    if ($LASTEXITCODE -eq 0) {
        $pip = Join-Path (Join-Path $scratch $env:PADDOCK_PIP) 'pip'
        # Only over plain HTTP is there nothing to verify the server by.
        $verified = @()
        if ($env:PADDOCK_SERVER -notlike 'https:*') { $verified = @('--trusted-host', ([Uri] $env:PADDOCK_SERVER).Authority) }
        elseif ($env:SSL_CERT_FILE) { $verified = @('--cert', $env:SSL_CERT_FILE) }
        # What this machine's own settings of pip say, of other indexes above all, does not count here.
        $env:PIP_CONFIG_FILE = 'nul'
        & $agentPython $pip --isolated install --quiet --disable-pip-version-check --no-cache-dir --only-binary ':all:' `
            --index-url "$env:PADDOCK_SERVER/install/simple/" @verified `
            "yellow-paddock-agent==$env:PADDOCK_VERSION" *> $log
    }
}

Write-Output "Checking this machine for $env:PADDOCK_SERVER (agent $env:PADDOCK_VERSION)"
$python = ''
foreach ($version in '3.13', '3.12', '3.11') {
    $found = ''
    if (Get-Command 'py' -ErrorAction SilentlyContinue) {
        try { $found = & py "-$version" -c 'import sys; print(sys.executable)' } catch { $found = '' }
    }
    if ($found) { $python = $found; break }
}
if (-not $python) {
    Stop-Missing 'Python' 'none of 3.11, 3.12, 3.13 is known to the Python launcher (py)' 'install Python 3.12 for all users'
}

$scratch = Join-Path ([IO.Path]::GetTempPath()) ([Guid]::NewGuid().ToString())
New-Item -ItemType Directory -Path $scratch | Out-Null
$lock = ''
try {
    $files = @{ $env:PADDOCK_WHEEL = $env:PADDOCK_WHEEL_SHA256; $env:PADDOCK_PIP = $env:PADDOCK_PIP_SHA256 }
    foreach ($file in $files.Keys) {
        $path = Join-Path $scratch $file
        try {
            Invoke-WebRequest -UseBasicParsing -Uri "$env:PADDOCK_SERVER/install/files/$file" -OutFile $path
        } catch {
            Stop-Missing 'server' "$file is not handed out: $($_.Exception.Message)" 'look at the address, the network, the proxy and the certificate'
        }
        if ((Get-FileHash -Algorithm SHA256 -Path $path).Hash -ne $files[$file]) {
            Stop-Missing 'server' "$file came with the wrong hash" 'ask who keeps the server'
        }
    }

    # The agent's own code checks the rest, straight from its package.
    $env:PYTHONPATH = Join-Path $scratch $env:PADDOCK_WHEEL
    & $python -m paddock_agent.preflight
    if ($LASTEXITCODE -ne 0) {
        Write-Output 'Nothing was changed: what is missing above has to be mended first.'
        exit 1
    }
    $prefix = $env:PADDOCK_PREFIX
    $place = Join-Path $prefix "agent-$env:PADDOCK_VERSION"
    $agentHome = & $python -m paddock_agent.preflight.home $prefix
    if ($DryRun) {
        Write-Output "It would: install the agent into $place; join $env:PADDOCK_SERVER; keep its key in $agentHome;"
        Write-Output 'set it up as a service, and start it; with -ByHand leave it to be started by hand.'
        exit 0
    }

    New-Item -ItemType Directory -Force -Path $prefix | Out-Null
    # A file that is held open: Windows lets go of it when this process ends, however that comes about.
    try {
        $lock = [IO.File]::Open((Join-Path $prefix 'at-work'), 'OpenOrCreate', 'ReadWrite', 'None')
    } catch {
        Write-Output 'This script is running here already. Wait for it to end.'
        exit 1
    }
    $complete = Join-Path $place 'complete'
    $agentPython = Join-Path $place 'Scripts\python.exe'
    if (Test-Path $complete) {
        Write-Output "The agent $env:PADDOCK_VERSION is installed in $place already."
    } else {
        Write-Output "Installing the agent $env:PADDOCK_VERSION into $place"
        & $python -m paddock_agent.steps install begun
        if (Test-Path $place) { Remove-Item -Recurse -Force -Path $place }
        $log = Join-Path $scratch 'log'
        Install-Agent $place $log
        if ($LASTEXITCODE -ne 0) {
            Get-Content $log
            Get-Content $log | & $python -m paddock_agent.steps install failed '-'
            Remove-Item -Recurse -Force -Path $place
            Write-Output 'The agent could not be installed; what was there before is as it was.'
            exit 1
        }
        New-Item -ItemType File -Path $complete | Out-Null
    }
    & $python -m paddock_agent.steps install done $place
    $env:PYTHONPATH = ''
    # People and remedies call it by its name: in new sessions it is on the PATH.
    Set-Content -Path (Join-Path $prefix 'paddock-agent.cmd') -Encoding Ascii -Value "@`"$agentPython`" -m paddock_agent %*"
    if ($env:PADDOCK_SUPERVISOR -ne 'by hand') { Add-ToPath $prefix }

    if (Test-Path (Join-Path $agentHome 'identity.json')) {
        Write-Output 'This machine has joined before; its key stays.'
        & $agentPython -m paddock_agent.steps known $agentHome
    } else {
        & $agentPython -m paddock_agent join --home $agentHome
        if ($LASTEXITCODE -ne 0) { exit $LASTEXITCODE }
    }
    $env:PADDOCK_PASS = ''
    if ($env:PADDOCK_SUPERVISOR -eq 'by hand') {
        Write-Output "Next, whenever this machine is up: & '$agentPython' -m paddock_agent run --home '$agentHome'"
        exit 0
    }
    if ($Now) {
        & $agentPython -m paddock_agent service install --home $agentHome --now
    } else {
        & $agentPython -m paddock_agent service install --home $agentHome
    }
    exit $LASTEXITCODE
} finally {
    if ($lock) { $lock.Dispose() }
    Remove-Item -Recurse -Force -Path $scratch
}
