# Lists the disks of this machine, shows the list, and sends it to Ylemorph when you agree.
# It reads names, sizes, partitions and free space by Get-Disk, Get-Partition and Get-Volume. Where it can, it also asks
# how small Windows makes each partition, what is encrypted, where page files stand, and how the disks are; what cannot
# be asked is left out. No file is opened, nothing is changed. Run it in a PowerShell that was started as administrator.
$Server = '@SERVER@'
$Code = '@CODE@'
$Pin = '@PIN@' # the digest of the server's key, which no authority vouches for; it sends to nobody else
$ErrorActionPreference = 'Stop'

$plain = @{Disks = @(Get-Disk); Partitions = @(Get-Partition); Volumes = @(Get-Volume)}
$more = $plain.Clone()
try {
    $more.Supported = @(Get-Partition | ForEach-Object {
        $partition = $_
        try {
            $size = $partition | Get-PartitionSupportedSize
            @{DiskNumber = $partition.DiskNumber; PartitionNumber = $partition.PartitionNumber
              SizeMin = $size.SizeMin; SizeMax = $size.SizeMax}
        } catch { }
    })
} catch { }
try {
    $more.Encryption = @(Get-BitLockerVolume |
        Select-Object -Property @('MountPoint', 'VolumeStatus', 'ProtectionStatus', 'LockStatus', 'EncryptionPercentage'))
} catch { }
try { $more.PageFiles = @(Get-CimInstance Win32_PageFileUsage | Select-Object -Property @('Name', 'AllocatedBaseSize')) } catch { }
try {
    $more.Health = @(Get-PhysicalDisk | Get-StorageReliabilityCounter |
        Select-Object -Property @('DeviceId', 'Wear', 'PowerOnHours', 'ReadErrorsUncorrected'))
} catch { }
$listing = $more | ConvertTo-Json -Depth 3 -Compress
Write-Host "This is what Ylemorph gets from ${env:COMPUTERNAME}:"
Get-Disk | Format-Table -Property @('Number', 'FriendlyName', 'SerialNumber', 'Size') | Out-Host
Get-Volume | Format-Table -Property @('DriveLetter', 'FileSystemLabel', 'FileSystem', 'Size', 'SizeRemaining') | Out-Host
foreach ($part in 'Supported', 'Encryption', 'PageFiles', 'Health') {
    if ($more[$part]) {
        Write-Host "${part}:"
        $more[$part] | ForEach-Object { [PSCustomObject]$_ } | Format-Table | Out-Host
    }
}

if ($Server -eq '') {
    $file = "ylemorph-$env:COMPUTERNAME-$(Get-Date -Format yyyyMMdd-HHmmss).json"
    [IO.File]::WriteAllText((Join-Path (Get-Location) $file), $listing)
    Write-Host "Written to $file. Drop that file on the page of the job."
    return
}
$reply = Read-Host "Send it to ${Server}? [y/N, p: the lists of disks, partitions and volumes alone]"
if ($reply -in 'p', 'P') {
    $listing = $plain | ConvertTo-Json -Depth 3 -Compress
} elseif ($reply -notin 'y', 'Y', 'yes') {
    Write-Host 'Nothing was sent.'
    return
}
if ($Pin -ne '') {
    $body = New-TemporaryFile
    [IO.File]::WriteAllText($body, $listing)
    curl.exe -sSk --pinnedpubkey "sha256//$Pin" -H 'Content-Type: application/json' -H "X-Machine: $env:COMPUTERNAME" `
        --data-binary "@$body" "$Server/collect/$Code"
    Remove-Item $body
    return
}
try {
    Invoke-RestMethod -Method Post -Uri "$Server/collect/$Code" -ContentType 'application/json; charset=utf-8' `
        -Headers @{'X-Machine' = $env:COMPUTERNAME} -Body ([Text.Encoding]::UTF8.GetBytes($listing))
} catch {
    Write-Host "It was not taken: $($_.Exception.Message) $($_.ErrorDetails.Message)"
}
